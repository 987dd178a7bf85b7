import type { Command } from 'commander';
import type { ShownDestination } from '@underbell/core/deliver';
import { readTextFile } from '../platform/files.ts';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/destinations/${encodeURIComponent(name)}`;
const gather = (value: string, all: readonly string[]) => [...all, value];

const limitsOf = ({ limits, parallel }: ShownDestination) => [...limits, `${parallel} at once`].join(', ');

interface AddOptions {
  readonly kind: string;
  readonly user?: string;
  readonly passwordFile?: string;
  readonly from?: string;
  readonly limit: string[];
  readonly parallel?: string;
}

function addSaving(destination: Command): void {
  destination
    .command('add <name> <address>')
    .description('save a destination, or change it')
    .requiredOption('--kind <kind>', 'library (WebDAV), directory, webhook or mail')
    .option('--user <user>', 'whom it lets in')
    .option('--password-file <file>', 'the file that holds the password; `-` reads it from standard input')
    .option('--from <address>', 'whom mail comes from')
    .option(
      '--limit <limit>',
      'how fast it takes copies, `3 per 10 s` or `1600 per day`; may stand several times',
      gather,
      [],
    )
    .option('--parallel <count>', 'how many copies are on their way at once; 5 when left out')
    .addHelpText(
      'after',
      '\nExamples:\n  underbell destination add quay-library https://files.example/quays --kind library --user reports --password-file pw.txt --limit "3 per 10 s"\n  underbell destination add rota https://rota.example/copies --kind webhook',
    )
    .action(async (name: string, address: string, options: AddOptions, command: Command) => {
      const { kind, user, from, limit, parallel, passwordFile } = options;
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
        line(`The destination ${name} is saved: ${limitsOf(saved)}. Try it: underbell destination test ${name}`);
        if (secret) line(`Its messages are signed with ${secret}. This is shown once.`);
      });
    });
}

export function addDestinationCommands(program: Command): void {
  const destination = program
    .command('destination')
    .description('where copies go: libraries, directories, programs, mail hosts');
  destination
    .command('list')
    .description('the destinations that you may see, with their limits and state')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ destinations: ShownDestination[] }>('GET', '/api/v1/destinations');
      show(command, answer, ({ destinations }) =>
        table(destinations, [
          { heading: 'destination', cell: (one) => one.name },
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'address', cell: (one) => one.address || 'as the service was started' },
          { heading: 'takes', cell: limitsOf },
          { heading: 'state', cell: (one) => (one.reason ? `${one.state}: ${one.reason}` : one.state) },
        ]),
      );
    });
  destination
    .command('show <name>')
    .description('a destination: its limits, its state and its last test')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownDestination>('GET', pathOf(name)), (one) => {
        line(`${one.kind} ${one.address || 'as the service was started'}`);
        line(`takes ${limitsOf(one)}`);
        line(one.reason ? `${one.state}: ${one.reason}` : one.state);
      });
    });
  addSaving(destination);
  destination
    .command('test <name>')
    .description('put something there, look at it and take it away again')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<{ words: string; ms: number }>('POST', `${pathOf(name)}/test`);
      show(command, answer, ({ words, ms }) => line(`${name}: ${words}, in ${ms} ms.`));
    });
  for (const [act, description, done] of [
    ['pause', 'let nothing go there; runs wait', 'is paused; runs wait for it'],
    ['open', 'let copies go there again; runs that wait go on', 'takes copies again'],
  ] as const)
    destination
      .command(`${act} <name>`)
      .description(description)
      .action(async (name: string, _options, command: Command) => {
        const answer = await callApi<ShownDestination>('POST', `${pathOf(name)}/${act}`);
        show(command, answer, () => line(`${name} ${done}.`));
      });
}
