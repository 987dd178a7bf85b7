import type { ColumnProfile, PlannedRefresh } from '@underbell/core/dataset';
import type { Command } from 'commander';
import { line, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const at = (name: string) => `/api/v1/datasets/${encodeURIComponent(name)}`;

function whenWords({ kind, keepSeconds, schedule, source, hasHook }: PlannedRefresh): string {
  if (kind === 'live') return `live, shown again for ${keepSeconds} s`;
  const ways = [
    ...(schedule ? [schedule.words] : []),
    ...(hasHook ? ['when its address is called'] : []),
    ...(source === null ? ['when a file comes'] : []),
  ];
  return ways.join('; ') || 'by hand';
}

function addLooking(dataset: Command): void {
  dataset
    .command('profile <name>')
    .description('what stands in each column: missing, distinct, smallest, largest and most frequent values')
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
    .description('how every dataset that you may change is kept fresh: next times, last load')
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
    .description('load a snapshot anew by itself')
    .option('--rule <rule>', 'RFC 5545, for example FREQ=DAILY;BYHOUR=6;BYMINUTE=0')
    .option('--zone <zone>', 'IANA time zone', 'UTC')
    .option('--start <time>', 'the first day and time, 2026-11-23T06:00')
    .option('--off', 'no longer by itself')
    .addHelpText(
      'after',
      '\nExample: underbell dataset schedule sailings --rule "FREQ=DAILY;BYHOUR=6;BYMINUTE=0" --zone Europe/Berlin',
    )
    .action(
      async (
        name: string,
        options: { rule?: string; zone: string; start?: string; off?: boolean },
        command: Command,
      ) => {
        const start = options.start ?? `${new Date().toISOString().slice(0, 10)}T00:00`;
        const schedule = options.off ? null : { rule: options.rule ?? '', start, timeZone: options.zone };
        const answer = await callApi<{ nextRefreshAt: string | null }>('PUT', `${at(name)}/schedule`, {
          body: { schedule },
        });
        show(command, answer, ({ nextRefreshAt }) =>
          line(
            nextRefreshAt ? `${name} is loaded next at ${nextRefreshAt}.` : `${name} is not loaded by itself any more.`,
          ),
        );
      },
    );
  dataset
    .command('stop <name>')
    .description('stop the loading that is under way; the old data stays')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi('POST', `${at(name)}/stop`);
      show(command, answer, () => line(`${name} is asked to stop.`));
    });
  dataset
    .command('hook <name>')
    .description('make an address that loads the dataset when it is called, or take it away')
    .option('--off', 'take it away')
    .action(async (name: string, options: { off?: boolean }, command: Command) => {
      const answer = await callApi<{ url?: string } | undefined>(options.off ? 'DELETE' : 'POST', `${at(name)}/hook`);
      show(command, answer ?? {}, (made) =>
        line(made.url ? `Shown once: POST ${made.url}` : `${name} has no such address any more.`),
      );
    });
}

export function addRefreshCommands(dataset: Command): void {
  addLooking(dataset);
  addPlanning(dataset);
}
