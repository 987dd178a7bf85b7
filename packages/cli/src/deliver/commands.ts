import type { Command } from 'commander';
import type { ShownDestination } from '@underbell/core/deliver';
import { readTextFile } from '../platform/files.ts';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/destinations/${encodeURIComponent(name)}`;
const gather = (value: string, all: readonly string[]) => [...all, value];

const limitsOf = ({ limits, parallel }: ShownDestination) => [...limits, `${parallel} in parallel`].join(', ');

interface AddOptions {
  readonly type: string;
  readonly username?: string;
  readonly passwordFile?: string;
  readonly from?: string;
  readonly rateLimit: string[];
  readonly parallel?: string;
}

function addSaving(destination: Command): void {
  destination
    .command('save <name> <address>')
    .description('Save a destination')
    .requiredOption('--type <type>', 'library (WebDAV), directory (server folder), webhook or mail')
    .option('--username <name>', 'username at the destination')
    .option('--password-file <file>', 'file with the password; - reads standard input')
    .option('--from <email>', 'sender address of emails')
    .option('--rate-limit <limit>', 'rate limit, example: "3 per 10 s" or "1600 per day"; repeatable', gather, [])
    .option('--parallel <count>', 'maximum parallel deliveries; default: 5')
    .addHelpText(
      'after',
      '\nExamples:\n  underbell destination save quay-library https://files.example/quays --type library --username reports --password-file pw.txt --rate-limit "3 per 10 s"\n  underbell destination save rota https://rota.example/copies --type webhook',
    )
    .action(async (name: string, address: string, options: AddOptions, command: Command) => {
      const { type: kind, username: user, from, rateLimit: limit, parallel, passwordFile } = options;
      const password = passwordFile === undefined ? undefined : readTextFile(passwordFile).replace(/\r?\n$/, '');
      const body = {
        kind,
        address,
        ...(user ? { user } : {}),
        ...(password ? { password } : {}),
        ...(from ? { from } : {}),
        limits: limit,
        ...(parallel ? { parallel: Number(parallel) } : {}),
      };
      const answer = await callApi<{ destination: ShownDestination; secret?: string }>('PUT', pathOf(name), {
        body,
      });
      show(command, answer, ({ destination: saved, secret }) => {
        line(`Destination “${name}” saved: ${limitsOf(saved)}. Test it: underbell destination test ${name}`);
        if (secret) line(`Signing secret (shown only once): ${secret}`);
      });
    });
}

export function addDestinationCommands(program: Command): void {
  const destination = program.command('destination').description('Destinations');
  destination
    .command('list')
    .description('List destinations')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ destinations: ShownDestination[] }>('GET', '/api/v1/destinations');
      show(command, answer, ({ destinations }) =>
        table(destinations, [
          { heading: 'destination', cell: (one) => one.name },
          { heading: 'type', cell: (one) => one.kind },
          { heading: 'address', cell: (one) => one.address || 'server setting' },
          { heading: 'rate limits', cell: limitsOf },
          { heading: 'state', cell: (one) => (one.reason ? `${one.state}: ${one.reason}` : one.state) },
        ]),
      );
    });
  destination
    .command('show <name>')
    .description('Show a destination')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownDestination>('GET', pathOf(name)), (one) => {
        line(`${one.kind} ${one.address || '(server setting)'}`);
        line(`rate limits: ${limitsOf(one)}`);
        line(one.reason ? `${one.state}: ${one.reason}` : one.state);
      });
    });
  addSaving(destination);
  destination
    .command('test <name>')
    .description('Test a destination')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<{ words: string; ms: number }>('POST', `${pathOf(name)}/test`);
      show(command, answer, ({ words, ms }) => line(`Destination “${name}”: ${words} (${ms} ms).`));
    });
  for (const [act, description, done] of [
    ['pause', 'Pause a destination; runs wait', 'paused'],
    ['resume', 'Resume a destination', 'resumed'],
  ] as const)
    destination
      .command(`${act} <name>`)
      .description(description)
      .action(async (name: string, _options, command: Command) => {
        const answer = await callApi<ShownDestination>('POST', `${pathOf(name)}/${act}`);
        show(command, answer, () => line(`Destination “${name}” ${done}.`));
      });
}
