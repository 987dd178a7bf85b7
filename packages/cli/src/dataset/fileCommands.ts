import { basename } from 'node:path';
import type { Command } from 'commander';
import {
  dateOrders,
  decimalSigns,
  fileEncodings,
  fileSeparators,
  type DatasetColumn,
  type ExaminedUpload,
  type FoundCell,
  type LoadedFile,
  type NearType,
} from '@underbell/core/dataset';
import { collect, readPairs } from '../platform/files.ts';
import { faint, line, plural, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

export interface DialectOptions {
  readonly encoding?: string;
  readonly separator?: string;
  readonly decimalSeparator?: string;
  readonly dateOrder?: string;
}

export function columnTable(columns: readonly DatasetColumn[]): void {
  table(columns, [
    { heading: 'column', cell: (one) => one.name },
    { heading: 'type', cell: (one) => one.type },
    { heading: 'shared key', cell: (one) => one.key },
    { heading: 'label', cell: (one) => one.label },
    { heading: 'unit', cell: (one) => one.unit },
  ]);
}

const cells = (found: readonly FoundCell[]) => found.map((one) => `row ${one.row} “${one.value}”`).join(', ');

/** Says of a column of text which type most of its cells fit. */
const showNear = (column: string, { type, count, fitting, first }: NearType) =>
  line(
    `${column} is text: ${plural(fitting, `cell is a ${type}`, `cells are ${type}s`)}, ${plural(count, 'is not', 'are not')}: ${cells(first)}`,
  );

/** How files are written, for every command that reads one. */
export function addCellDialect(command: Command): Command {
  return command
    .option('--decimal-separator <sign>', `decimal separator: ${decimalSigns.join(', ')}`)
    .option('--date-order <order>', `order of 03/09/2026: ${dateOrders.join(', ')}`);
}

export function addFileDialect(command: Command): Command {
  return addCellDialect(
    command
      .option('--encoding <name>', `text encoding: ${fileEncodings.join(', ')}`)
      .option('--separator <sign>', `separator of values: ${fileSeparators.join(', ')}`),
  );
}

function addColumnNotes(command: Command): Command {
  return command
    .option('--shared-key <column=key>', 'shared key of a column; repeatable', collect, [])
    .option('--type <column=type>', 'type of a column; repeatable', collect, [])
    .option('--label <column=label>', 'label of a column; repeatable', collect, [])
    .option('--unit <column=unit>', 'unit of a column; repeatable', collect, [])
    .option('--invalid-as-empty', 'import invalid values as empty')
    .option('--force', 'even if dependent items break');
}

interface NoteOptions {
  readonly sharedKey: readonly string[];
  readonly type: readonly string[];
  readonly label: readonly string[];
  readonly unit: readonly string[];
  readonly invalidAsEmpty?: boolean;
  readonly force?: boolean;
}

function showLoaded(command: Command, loaded: LoadedFile): void {
  show(command, loaded, (answer) => {
    line(`Dataset “${answer.name}” imported, version ${answer.revision}: ${plural(answer.rows, 'row')}.`);
    if (answer.readAs) line(faint(`read as ${answer.readAs}`));
    for (const { column, cells: count, first } of answer.emptied)
      line(
        `${plural(count, 'value')} of ${column} ${count === 1 ? 'is' : 'are'} invalid and imported as empty: ${cells(first)}`,
      );
    columnTable(answer.columns);
    for (const one of answer.near) {
      showNear(one.column, one);
      line(faint(`  To import it as ${one.type}: --type ${one.column}=${one.type} --invalid-as-empty`));
    }
  });
}

export function addFileCommands(dataset: Command): void {
  const upload = dataset
    .command('upload <file>')
    .description('Import a CSV, JSON Lines or XLSX file as the next version')
    .requiredOption('--name <name>', 'dataset; created if it does not exist')
    .option('--title <text>', 'title')
    .addHelpText(
      'after',
      '\nExamples:\n  underbell dataset upload takings.csv --name takings --shared-key quay_id=quay\n  underbell dataset upload kasse.csv --name takings --date-order day-month-year --decimal-separator comma',
    )
    .action(
      async (
        file: string,
        options: NoteOptions & DialectOptions & { name: string; title?: string },
        command: Command,
      ) => {
        const { name, invalidAsEmpty, sharedKey: key, decimalSeparator: decimal, dateOrder: dates, ...rest } = options;
        const loaded = await callApi<LoadedFile>('PUT', `/api/v1/datasets/${encodeURIComponent(name)}/file`, {
          query: { ...rest, key, decimal, dates, file: basename(file), badCells: invalidAsEmpty ? 'empty' : undefined },
          file: { path: file, type: 'application/octet-stream' },
        });
        showLoaded(command, loaded);
      },
    );
  addFileDialect(addColumnNotes(upload));
  const inspect = dataset
    .command('inspect <file>')
    .description('Check a file without importing it')
    .option('--dataset <name>', 'dataset; formats of its earlier files are used where the file is unclear')
    .action(async (file: string, options: DialectOptions & { dataset?: string }, command: Command) => {
      const { decimalSeparator: decimal, dateOrder: dates, ...rest } = options;
      const answer = await callApi<ExaminedUpload>('POST', '/api/v1/uploads', {
        query: { ...rest, decimal, dates, file: basename(file) },
        file: { path: file, type: 'application/octet-stream' },
      });
      show(command, answer, showExamined);
    });
  addFileDialect(inspect);
  const imported = dataset
    .command('import <upload>')
    .description('Import an inspected file')
    .requiredOption('--name <name>', 'dataset')
    .option('--title <text>', 'title')
    .action(
      async (
        upload: string,
        options: NoteOptions & DialectOptions & { name: string; title?: string },
        command: Command,
      ) => {
        const said = {
          type: readPairs(options.type, '--type'),
          key: readPairs(options.sharedKey, '--shared-key'),
          label: readPairs(options.label, '--label'),
          unit: readPairs(options.unit, '--unit'),
        };
        const names = [...new Set(Object.values(said).flatMap((one) => Object.keys(one)))];
        const columns = names.map((name) => ({
          name,
          ...Object.fromEntries(Object.entries(said).flatMap(([what, by]) => (by[name] ? [[what, by[name]]] : []))),
        }));
        const { name, title, decimalSeparator: decimal, dateOrder: dates } = options;
        const answer = await callApi<LoadedFile>('POST', `/api/v1/uploads/${encodeURIComponent(upload)}/import`, {
          query: { force: options.force },
          body: { name, title, decimal, dates, columns, badCells: options.invalidAsEmpty ? 'empty' : 'refuse' },
        });
        showLoaded(command, answer);
      },
    );
  addCellDialect(addColumnNotes(imported));
}

/** Options by what a file leaves open. */
const dialectFlags = {
  encoding: 'encoding',
  separator: 'separator',
  decimal: 'decimal-separator',
  dates: 'date-order',
} as const;

function showExamined({ id, rows, readAs, columns, questions }: ExaminedUpload): void {
  table(columns, [
    { heading: 'column', cell: (one) => one.name },
    { heading: 'type', cell: (one) => one.type },
    { heading: 'empty', cell: (one) => one.missing, isNumber: true },
    { heading: 'examples', cell: (one) => one.samples.slice(0, 3).join(', ') },
  ]);
  if (readAs) line(faint(`read as ${readAs}`));
  for (const { name, type, near } of columns) if (near && type === 'text') showNear(name, near);
  for (const { about, columns: names, cell, readings } of questions) {
    line(`${names.join(', ')}: row ${cell.row} “${cell.value}” can be read in more than one way`);
    for (const { say, as } of readings) line(`  --${dialectFlags[about]} ${say}: ${as}`);
  }
  line(`${plural(rows, 'row')}. Import it: underbell dataset import ${id} --name NAME`);
}
