import { followedKinds, type FollowOutcome, type ShownFollowed } from '@underbell/core/sync';
import type { Command } from 'commander';
import { line, shortTime, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/followed-files/${encodeURIComponent(name)}`;
const resourceIdOf = ({ kind, thing }: ShownFollowed) =>
  thing === undefined ? `a ${kind}, not read yet` : `${kind} ${thing}`;

interface Answered {
  readonly file: ShownFollowed;
  readonly outcome: FollowOutcome;
}

/** Says what came of a file; one that could not be taken over is a failure. */
function tell(command: Command, answer: Answered): void {
  show(command, answer, ({ outcome }) => line(outcome.words));
  const { problem } = answer.file;
  if (answer.outcome.state === 'failed' && problem)
    throw localProblem(problem.code as 'SOURCE_REFUSED', problem.message, { hint: 'what was there before stays' });
}

interface SaveOptions {
  readonly kind: string;
  readonly dataset?: string;
  readonly user?: string;
  readonly every?: string | false;
  readonly at: string;
  readonly timeZone: string;
}

/** Files of a library that become the next edition or revision when they are replaced there. */
export function addFollowCommands(program: Command): void {
  const follow = program.command('follow').description('files elsewhere that become editions and revisions here');
  follow
    .command('list')
    .description('the files that you follow')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ files: ShownFollowed[] }>('GET', '/api/v1/followed-files'), ({ files }) => {
        table(files, [
          { heading: 'file', cell: (one) => one.name },
          { heading: 'becomes', cell: resourceIdOf },
          { heading: 'address', cell: (one) => one.address },
          { heading: 'looked at', cell: (one) => shortTime(one.checkedAt) },
          { heading: 'changed', cell: (one) => shortTime(one.changedAt) },
          { heading: 'next', cell: (one) => shortTime(one.nextAt) },
          { heading: 'problem', cell: (one) => one.problem?.code ?? '' },
        ]);
        if (files.length === 0) line('No file is followed.');
      });
    });
  follow
    .command('show <name>')
    .description('one of them, with what is wrong with it')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownFollowed>('GET', pathOf(name)), (one) => {
        line(`${one.address} becomes ${resourceIdOf(one)}, with the rights of ${one.owner ?? 'somebody who is gone'}`);
        if (one.user) line(`signs in as ${one.user}${one.hasPassword ? ', with a password' : ''}`);
        if (one.schedule) line(`by itself: ${one.schedule.rule}, next ${shortTime(one.nextAt)}`);
        if (one.hasHook) line('when its secret address is called');
        if (one.checkedAt)
          line(
            `last looked at ${shortTime(one.checkedAt)}${one.changedAt ? `, last changed ${shortTime(one.changedAt)}` : ''}`,
          );
        if (one.problem) line(`since ${shortTime(one.problem.since)}: ${one.problem.message} (${one.problem.code})`);
      });
    });
  follow
    .command('add <name> <address>')
    .description('follow a file, and take it over at once')
    .requiredOption('--kind <kind>', followedKinds.join(', '))
    .option('--dataset <name>', 'the dataset that its rows become')
    .option('--user <name>', 'who signs in there; the password is read from UNDERBELL_PASSWORD')
    .option('--every <rule>', 'look by itself, by an RFC 5545 rule such as FREQ=HOURLY')
    .option('--no-every', 'look by itself no more; without either, it stays as it is')
    .option('--at <time>', 'the start of that rule', '2026-01-01T06:00')
    .option('--time-zone <zone>', 'its time zone', 'UTC')
    .addHelpText(
      'after',
      '\nExample:\n  underbell follow add works https://library.example/files/works.report.json --kind report --every FREQ=HOURLY',
    )
    .action(async (name: string, address: string, options: SaveOptions, command: Command) => {
      const { kind, dataset, user, every, at, timeZone } = options;
      const password = process.env['UNDERBELL_PASSWORD'];
      const body = {
        ...{ kind, dataset, address, user },
        ...(user === undefined || password === undefined ? {} : { password }),
        ...(every === undefined ? {} : { schedule: every === false ? null : { rule: every, start: at, timeZone } }),
      };
      tell(command, await callApi<Answered>('PUT', pathOf(name), { body }));
    });
  follow
    .command('rename <name> <to>')
    .description('follow it under another name')
    .action(async (name: string, to: string, _options, command: Command) => {
      const body = { name: to };
      show(command, await callApi<ShownFollowed>('PUT', `${pathOf(name)}/name`, { body }), (renamed) =>
        line(`It is followed as ${renamed.name} now.`),
      );
    });
  follow
    .command('check <name>')
    .description('look at it now')
    .action(async (name: string, _options, command: Command) => {
      tell(command, await callApi<Answered>('POST', `${pathOf(name)}/check`));
    });
  follow
    .command('hook <name>')
    .description('make the secret address that has it looked at when it is called')
    .option('--remove', 'take it away')
    .action(async (name: string, options: { remove?: boolean }, command: Command) => {
      const answer = await callApi<{ url?: string } | null>(options.remove ? 'DELETE' : 'POST', `${pathOf(name)}/hook`);
      show(command, answer ?? {}, (made) => line(made.url ?? 'Nothing is called any more.'));
    });
  follow
    .command('remove <name>')
    .description('follow it no more; what was made of it stays')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', pathOf(name));
      show(command, { removed: name }, () => line(`The file ${name} is not followed any more.`));
    });
}
