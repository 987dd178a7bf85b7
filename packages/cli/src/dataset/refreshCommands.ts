import { basename } from 'node:path';
import type { Command } from 'commander';
import { collect, readPairs } from '../platform/files.ts';
import { faint, line, plural, show, table } from '../platform/output.ts';
import { askService } from '../platform/service.ts';

const at = (name: string) => `/api/v1/datasets/${encodeURIComponent(name)}`;

interface Profiled {
  readonly name: string;
  readonly missing: number;
  readonly distinct: number;
  readonly smallest: string | null;
  readonly largest: string | null;
  readonly frequent: readonly { readonly value: string; readonly rows: number }[];
}

interface FileColumn {
  readonly name: string;
  readonly type: string;
  readonly missing: number;
  readonly samples: readonly string[];
  readonly misfits: readonly {
    readonly type: string;
    readonly count: number;
    readonly first: readonly { row: number; value: string }[];
  }[];
}

function addLooking(dataset: Command): void {
  dataset
    .command('profile <name>')
    .description('what stands in each column: missing, distinct, smallest, largest and most frequent values')
    .action(async (name: string, _options, command: Command) => {
      const answer = await askService<{ columns: Profiled[] }>('GET', `${at(name)}/profile`);
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
  dataset
    .command('examine <file>')
    .description('look at every cell of a CSV, JSON Lines or XLSX file; nothing is loaded')
    .action(async (file: string, _options, command: Command) => {
      const answer = await askService<{ id: string; rows: number; columns: FileColumn[] }>('POST', '/api/v1/uploads', {
        query: { file: basename(file) },
        file: { path: file, type: 'application/octet-stream' },
      });
      show(command, answer, ({ id, rows, columns }) => {
        table(columns, [
          { heading: 'column', cell: (one) => one.name },
          { heading: 'type', cell: (one) => one.type },
          { heading: 'empty', cell: (one) => one.missing, isNumber: true },
          { heading: 'some cells', cell: (one) => one.samples.slice(0, 3).join(', ') },
        ]);
        for (const column of columns) {
          const near = column.misfits.filter((one) => column.type === 'text' && one.count * 20 < rows);
          for (const one of near)
            line(
              faint(
                `${column.name} would be ${one.type} but for ${plural(one.count, 'cell')}: ${one.first.map((cell) => `row ${cell.row} “${cell.value}”`).join(', ')}`,
              ),
            );
        }
        line(`${plural(rows, 'row')}. Load it: underbell dataset take ${id} --name NAME`);
      });
    });
  dataset
    .command('take <upload>')
    .description('load a file that was examined')
    .requiredOption('--name <name>', 'the dataset')
    .option('--title <text>', 'what people read')
    .option('--type <column=type>', 'another type for a column', collect, [])
    .option('--key <column=key>', 'the meaning that a column shares with other datasets', collect, [])
    .option('--bad-cells-empty', 'cells that do not fit count as missing')
    .option('--force', 'even if it breaks what uses the dataset')
    .action(
      async (
        upload: string,
        options: {
          name: string;
          title?: string;
          type: string[];
          key: string[];
          badCellsEmpty?: boolean;
          force?: boolean;
        },
        command: Command,
      ) => {
        const [types, keys] = [readPairs(options.type, '--type'), readPairs(options.key, '--key')];
        const names = [...new Set([...Object.keys(types), ...Object.keys(keys)])];
        const columns = names.map((name) => ({
          name,
          ...(types[name] ? { type: types[name] } : {}),
          ...(keys[name] ? { key: keys[name] } : {}),
        }));
        const answer = await askService<{ name: string; revision: number; rows: number }>(
          'POST',
          `/api/v1/uploads/${encodeURIComponent(upload)}/load`,
          {
            query: { force: options.force },
            body: {
              name: options.name,
              ...(options.title ? { title: options.title } : {}),
              columns,
              badCells: options.badCellsEmpty ? 'empty' : 'refuse',
            },
          },
        );
        show(command, answer, ({ name, revision, rows }) =>
          line(`${name}: revision ${revision} with ${plural(rows, 'row')}.`),
        );
      },
    );
}

function addPlanning(dataset: Command): void {
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
        const answer = await askService<{ nextRefreshAt: string | null }>('PUT', `${at(name)}/schedule`, {
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
      const answer = await askService('POST', `${at(name)}/stop`);
      show(command, answer, () => line(`${name} is asked to stop.`));
    });
  dataset
    .command('hook <name>')
    .description('make an address that loads the dataset when it is called, or take it away')
    .option('--off', 'take it away')
    .action(async (name: string, options: { off?: boolean }, command: Command) => {
      const answer = await askService<{ url?: string } | undefined>(
        options.off ? 'DELETE' : 'POST',
        `${at(name)}/hook`,
      );
      show(command, answer ?? {}, (made) =>
        line(made.url ? `Shown once: POST ${made.url}` : `${name} has no such address any more.`),
      );
    });
}

export function addRefreshCommands(dataset: Command): void {
  addLooking(dataset);
  addPlanning(dataset);
}
