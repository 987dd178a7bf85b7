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

interface DialectOptions {
  readonly encoding?: string;
  readonly separator?: string;
  readonly decimal?: string;
  readonly dates?: string;
}

export function columnTable(columns: readonly DatasetColumn[]): void {
  table(columns, [
    { heading: 'column', cell: (one) => one.name },
    { heading: 'type', cell: (one) => one.type },
    { heading: 'key', cell: (one) => one.key },
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
    .option('--decimal <sign>', `what parts whole from fraction: ${decimalSigns.join(', ')}`)
    .option('--dates <order>', `how 03/09/2026 is meant: ${dateOrders.join(', ')}`);
}

export function addFileDialect(command: Command): Command {
  return addCellDialect(
    command
      .option('--encoding <name>', `how its text is written: ${fileEncodings.join(', ')}`)
      .option('--separator <sign>', `what parts cells: ${fileSeparators.join(', ')}`),
  );
}

function addColumnNotes(command: Command): Command {
  return command
    .option('--key <column=key>', 'the meaning that a column shares with other datasets; may be repeated', collect, [])
    .option('--type <column=type>', 'settle a type instead of the one that was found; may be repeated', collect, [])
    .option('--label <column=label>', 'what people read; may be repeated', collect, [])
    .option('--unit <column=unit>', 'what its numbers count; may be repeated', collect, [])
    .option('--bad-cells-empty', 'cells that do not fit count as missing')
    .option('--force', 'even if it breaks what uses the dataset');
}

interface NoteOptions {
  readonly key: readonly string[];
  readonly type: readonly string[];
  readonly label: readonly string[];
  readonly unit: readonly string[];
  readonly badCellsEmpty?: boolean;
  readonly force?: boolean;
}

function showLoaded(command: Command, loaded: LoadedFile): void {
  show(command, loaded, (answer) => {
    line(`${answer.name}, revision ${answer.revision}: ${plural(answer.rows, 'row')}`);
    if (answer.readAs) line(faint(`read as ${answer.readAs}`));
    for (const { column, cells: count, first } of answer.emptied)
      line(
        `${plural(count, 'cell')} of ${column} did not fit and ${count === 1 ? 'is' : 'are'} missing: ${cells(first)}`,
      );
    columnTable(answer.columns);
    for (const one of answer.near) {
      showNear(one.column, one);
      line(faint(`  To load it so: --type ${one.column}=${one.type} --bad-cells-empty`));
    }
  });
}

export function addFileCommands(dataset: Command): void {
  const load = dataset
    .command('load <file>')
    .description('load a CSV, JSON Lines or XLSX file as the next revision of a dataset')
    .requiredOption('--name <name>', 'the dataset, made when it is new')
    .option('--title <text>', 'what people read')
    .addHelpText(
      'after',
      '\nExamples:\n  underbell dataset load takings.csv --name takings --key quay_id=quay\n  underbell dataset load kasse.csv --name takings --dates day-month-year --decimal comma',
    )
    .action(
      async (
        file: string,
        options: NoteOptions & DialectOptions & { name: string; title?: string },
        command: Command,
      ) => {
        const { name, badCellsEmpty, ...query } = options;
        const loaded = await callApi<LoadedFile>('PUT', `/api/v1/datasets/${encodeURIComponent(name)}/file`, {
          query: { ...query, file: basename(file), badCells: badCellsEmpty ? 'empty' : undefined },
          file: { path: file, type: 'application/octet-stream' },
        });
        showLoaded(command, loaded);
      },
    );
  addFileDialect(addColumnNotes(load));
  const examine = dataset
    .command('examine <file>')
    .description('look at every cell of a CSV, JSON Lines or XLSX file; nothing is loaded')
    .option('--dataset <name>', 'what it is for: how earlier files of it were written counts where it is open')
    .action(async (file: string, options: DialectOptions & { dataset?: string }, command: Command) => {
      const answer = await callApi<ExaminedUpload>('POST', '/api/v1/uploads', {
        query: { ...options, file: basename(file) },
        file: { path: file, type: 'application/octet-stream' },
      });
      show(command, answer, showExamined);
    });
  addFileDialect(examine);
  const take = dataset
    .command('take <upload>')
    .description('load a file that was examined')
    .requiredOption('--name <name>', 'the dataset')
    .option('--title <text>', 'what people read')
    .action(
      async (
        upload: string,
        options: NoteOptions & DialectOptions & { name: string; title?: string },
        command: Command,
      ) => {
        const said = {
          type: readPairs(options.type, '--type'),
          key: readPairs(options.key, '--key'),
          label: readPairs(options.label, '--label'),
          unit: readPairs(options.unit, '--unit'),
        };
        const names = [...new Set(Object.values(said).flatMap((one) => Object.keys(one)))];
        const columns = names.map((name) => ({
          name,
          ...Object.fromEntries(Object.entries(said).flatMap(([what, by]) => (by[name] ? [[what, by[name]]] : []))),
        }));
        const { name, title, decimal, dates } = options;
        const answer = await callApi<LoadedFile>('POST', `/api/v1/uploads/${encodeURIComponent(upload)}/load`, {
          query: { force: options.force },
          body: { name, title, decimal, dates, columns, badCells: options.badCellsEmpty ? 'empty' : 'refuse' },
        });
        showLoaded(command, answer);
      },
    );
  addCellDialect(addColumnNotes(take));
}

function showExamined({ id, rows, readAs, columns, questions }: ExaminedUpload): void {
  table(columns, [
    { heading: 'column', cell: (one) => one.name },
    { heading: 'type', cell: (one) => one.type },
    { heading: 'empty', cell: (one) => one.missing, isNumber: true },
    { heading: 'some cells', cell: (one) => one.samples.slice(0, 3).join(', ') },
  ]);
  if (readAs) line(faint(`read as ${readAs}`));
  for (const { name, type, near } of columns) if (near && type === 'text') showNear(name, near);
  for (const { about, columns: names, cell, readings } of questions) {
    line(`${names.join(', ')}: row ${cell.row} “${cell.value}” can be read in more than one way`);
    for (const { say, as } of readings) line(`  --${about} ${say}: ${as}`);
  }
  line(`${plural(rows, 'row')}. Load it: underbell dataset take ${id} --name NAME`);
}
