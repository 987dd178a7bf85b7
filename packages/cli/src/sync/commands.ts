import { followedKinds, type FollowOutcome, type ShownFollowed } from '@underbell/core/sync';
import type { Command } from 'commander';
import { line, shortTime, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/synced-files/${encodeURIComponent(name)}`;
const resourceIdOf = ({ kind, thing }: ShownFollowed) =>
  thing === undefined ? `a ${kind}, not read yet` : `${kind} ${thing}`;

interface Answered {
  readonly file: ShownFollowed;
  readonly outcome: FollowOutcome;
}

/** Prints the result of a sync; a file that could not be imported is a failure. */
function tell(command: Command, answer: Answered): void {
  show(command, answer, ({ outcome }) => line(outcome.words));
  const { problem } = answer.file;
  if (answer.outcome.state === 'failed' && problem)
    throw localProblem(problem.code as 'SOURCE_REFUSED', problem.message, { hint: 'The earlier version stays.' });
}

interface SaveOptions {
  readonly type: string;
  readonly dataset?: string;
  readonly username?: string;
  readonly rrule?: string;
  readonly removeSchedule?: true;
  readonly start: string;
  readonly timeZone: string;
}

/** Files at a URL that become the next edition or version when they change. */
export function addSyncCommands(program: Command): void {
  const sync = program.command('sync').description('Files that are synced from a URL');
  sync
    .command('list')
    .description('List synced files')
    .action(async (_options, command: Command) => {
      show(command, await callApi<{ files: ShownFollowed[] }>('GET', '/api/v1/synced-files'), ({ files }) => {
        table(files, [
          { heading: 'file', cell: (one) => one.name },
          { heading: 'imports', cell: resourceIdOf },
          { heading: 'URL', cell: (one) => one.address },
          { heading: 'last sync', cell: (one) => shortTime(one.checkedAt) },
          { heading: 'changed', cell: (one) => shortTime(one.changedAt) },
          { heading: 'next', cell: (one) => shortTime(one.nextAt) },
          { heading: 'problem', cell: (one) => one.problem?.code ?? '' },
        ]);
        if (files.length === 0) line('No synced files.');
      });
    });
  sync
    .command('show <name>')
    .description('Show a synced file')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownFollowed>('GET', pathOf(name)), (one) => {
        line(
          `${one.address} is imported as ${resourceIdOf(one)}, with the permissions of ${one.owner ?? 'a deleted user'}`,
        );
        if (one.user) line(`username ${one.user}${one.hasPassword ? ', with password' : ''}`);
        if (one.schedule) line(`schedule: ${one.schedule.rule}, next ${shortTime(one.nextAt)}`);
        if (one.hasHook) line('webhook URL exists');
        if (one.checkedAt)
          line(
            `last sync ${shortTime(one.checkedAt)}${one.changedAt ? `, last changed ${shortTime(one.changedAt)}` : ''}`,
          );
        if (one.problem) line(`since ${shortTime(one.problem.since)}: ${one.problem.message} (${one.problem.code})`);
      });
    });
  sync
    .command('save <name> <url>')
    .description('Save a synced file and sync it now')
    .requiredOption('--type <type>', followedKinds.join(', '))
    .option('--dataset <name>', 'dataset')
    .option('--username <name>', 'username; the password is read from UNDERBELL_PASSWORD')
    .option('--rrule <rule>', 'recurrence (RFC 5545), example: FREQ=HOURLY')
    .option('--remove-schedule', 'remove the schedule')
    .option('--start <time>', 'first date and time', '2026-01-01T06:00')
    .option('--time-zone <zone>', 'IANA time zone', 'UTC')
    .addHelpText(
      'after',
      '\nExample:\n  underbell sync save works https://library.example/files/works.report.json --type report --rrule FREQ=HOURLY',
    )
    .action(async (name: string, address: string, options: SaveOptions, command: Command) => {
      const { type: kind, dataset, username: user, rrule, removeSchedule, start, timeZone } = options;
      const schedule = removeSchedule ? null : rrule === undefined ? undefined : { rule: rrule, start, timeZone };
      const password = process.env['UNDERBELL_PASSWORD'];
      const body = {
        ...{ kind, dataset, address, user },
        ...(user === undefined || password === undefined ? {} : { password }),
        ...(schedule === undefined ? {} : { schedule }),
      };
      tell(command, await callApi<Answered>('PUT', pathOf(name), { body }));
    });
  sync
    .command('rename <name> <to>')
    .description('Rename')
    .action(async (name: string, to: string, _options, command: Command) => {
      const body = { name: to };
      show(command, await callApi<ShownFollowed>('PUT', `${pathOf(name)}/name`, { body }), (renamed) =>
        line(`Renamed to “${renamed.name}”.`),
      );
    });
  sync
    .command('run <name>')
    .description('Sync now')
    .action(async (name: string, _options, command: Command) => {
      tell(command, await callApi<Answered>('POST', `${pathOf(name)}/sync`));
    });
  sync
    .command('webhook <name>')
    .description('Create or remove the webhook URL')
    .option('--remove', 'remove it')
    .action(async (name: string, options: { remove?: boolean }, command: Command) => {
      const answer = await callApi<{ url?: string } | null>(
        options.remove ? 'DELETE' : 'POST',
        `${pathOf(name)}/webhook`,
      );
      show(command, answer ?? {}, (made) => line(made.url ?? 'Webhook URL deleted.'));
    });
  sync
    .command('delete <name>')
    .description('Delete a synced file; imported content stays')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', pathOf(name));
      show(command, { deleted: name }, () => line(`Synced file “${name}” deleted.`));
    });
}
