import type { ColumnProfile, PlannedRefresh } from '@underbell/core/dataset';
import type { Command } from 'commander';
import { line, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const at = (name: string) => `/api/v1/datasets/${encodeURIComponent(name)}`;

function whenWords({ kind, keepSeconds, schedule, source, hasHook }: PlannedRefresh): string {
  if (kind === 'live') return `live, cached for ${keepSeconds} s`;
  const ways = [
    ...(schedule ? [schedule.words] : []),
    ...(hasHook ? ['webhook'] : []),
    ...(source === null ? ['file'] : []),
  ];
  return ways.join('; ') || 'manual';
}

function addLooking(dataset: Command): void {
  dataset
    .command('profile <name>')
    .description('Show statistics per column')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<{ columns: ColumnProfile[] }>('GET', `${at(name)}/profile`);
      show(command, answer, ({ columns }) =>
        table(columns, [
          { heading: 'column', cell: (one) => one.name },
          { heading: 'missing', cell: (one) => one.missing, isNumber: true },
          { heading: 'distinct', cell: (one) => one.distinct, isNumber: true },
          { heading: 'smallest', cell: (one) => one.smallest ?? '' },
          { heading: 'largest', cell: (one) => one.largest ?? '' },
          {
            heading: 'most frequent',
            cell: (one) =>
              one.frequent
                .slice(0, 3)
                .map((value) => `${value.value} (${value.rows})`)
                .join(', '),
          },
        ]),
      );
    });
}

function addPlanning(dataset: Command): void {
  dataset
    .command('refreshes')
    .description('List refresh schedules and results')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ refreshes: PlannedRefresh[] }>('GET', '/api/v1/refreshes');
      show(command, answer, ({ refreshes }) =>
        table(refreshes, [
          { heading: 'dataset', cell: (one) => one.name },
          { heading: 'when', cell: (one) => whenWords(one) },
          { heading: 'next', cell: (one) => one.next.map(shortTime).join(', ') },
          { heading: 'last', cell: (one) => (one.last ? `${one.last.state} ${shortTime(one.last.startedAt)}` : '') },
          { heading: 'rows', cell: (one) => one.loading?.rows ?? one.last?.rows ?? '', isNumber: true },
          { heading: 'now', cell: (one) => (one.loading ? 'loading' : one.staleSince ? 'stale' : '') },
        ]),
      );
    });
  dataset
    .command('schedule <name>')
    .description('Set the refresh schedule')
    .option('--rrule <rule>', 'recurrence (RFC 5545), example: FREQ=DAILY;BYHOUR=6;BYMINUTE=0')
    .option('--time-zone <zone>', 'IANA time zone', 'UTC')
    .option('--start <time>', 'first date and time, example: 2026-11-23T06:00')
    .option('--remove', 'remove the schedule')
    .addHelpText(
      'after',
      '\nExample: underbell dataset schedule sailings --rrule "FREQ=DAILY;BYHOUR=6;BYMINUTE=0" --time-zone Europe/Berlin',
    )
    .action(
      async (
        name: string,
        options: { rrule?: string; timeZone: string; start?: string; remove?: boolean },
        command: Command,
      ) => {
        const start = options.start ?? `${new Date().toISOString().slice(0, 10)}T00:00`;
        const schedule = options.remove ? null : { rule: options.rrule ?? '', start, timeZone: options.timeZone };
        const answer = await callApi<{ nextRefreshAt: string | null }>('PUT', `${at(name)}/schedule`, {
          body: { schedule },
        });
        show(command, answer, ({ nextRefreshAt }) =>
          line(
            nextRefreshAt
              ? `Schedule saved. Next refresh of “${name}”: ${nextRefreshAt}.`
              : `Schedule of “${name}” removed.`,
          ),
        );
      },
    );
  dataset
    .command('cancel <name>')
    .description('Cancel the running refresh')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi('POST', `${at(name)}/cancel-refresh`);
      show(command, answer, () => line(`Cancelling the refresh of “${name}”.`));
    });
  dataset
    .command('webhook <name>')
    .description('Create or remove the webhook URL that starts a refresh')
    .option('--remove', 'remove it')
    .action(async (name: string, options: { remove?: boolean }, command: Command) => {
      const answer = await callApi<{ url?: string } | undefined>(
        options.remove ? 'DELETE' : 'POST',
        `${at(name)}/webhook`,
      );
      show(command, answer ?? {}, (made) =>
        line(made.url ? `Webhook URL (shown only once): POST ${made.url}` : 'Webhook URL deleted.'),
      );
    });
}

export function addRefreshCommands(dataset: Command): void {
  addLooking(dataset);
  addPlanning(dataset);
}
