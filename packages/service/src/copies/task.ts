import { createReadStream, readFileSync } from 'node:fs';
import { setImmediate } from 'node:timers/promises';
import { parse, type CastingContext } from 'csv-parse';
import { rowWriter, type CellStyle } from '@underbell/core/burst';
import { columnHeading, readCell, type DatasetColumn } from '@underbell/core/dataset';
import type { Cell } from '@underbell/core/filter';
import { offsetAt } from '@underbell/core/format';
import type { PageScene } from '@underbell/core/render';
import type { DataFigure, FigureResult } from '@underbell/core/report';
import { toSheet, WorkbookWriter, type AboutWorkbook } from '@underbell/core/workbook';
import { checkArchive, checkPng, makeChecked } from '@underbell/core/readback';
import { drawPdf, drawPng } from '../render/index.ts';
import type { BookFiller } from './bookFiller.ts';
import { addToCopy, describeFile, TextFile, withFile, writeCopy, type FileDigest } from './copyBuffer.ts';

/** The rows that a file is made of, as they were cut. */
interface CutRows {
  readonly rows: string;
  readonly columns: readonly DatasetColumn[];
}

/** One file to be made; plain data, so that another thread can make it. */
export type MakeTask = { readonly to: string } & (
  | { readonly kind: 'page'; readonly format: 'pdf' | 'png'; readonly scene: PageScene }
  | ({
      readonly kind: 'text';
      readonly format: 'csv' | 'jsonl';
      readonly style: CellStyle;
      readonly timeZone: string;
    } & CutRows)
  | ({
      readonly kind: 'book';
      readonly about: AboutWorkbook;
      readonly title: string;
      readonly figures: readonly DataFigure[];
      readonly results: ReadonlyMap<string, FigureResult>;
    } & CutRows)
  /** `own`: the values that the recipient's own workbook may name. */
  | ({ readonly kind: 'template'; readonly own: readonly string[]; readonly timeZone: string } & CutRows)
  /** There already. */
  | { readonly kind: 'made' }
);

/** A file as it was made, and how long that took; milliseconds of computing. */
export interface MadeTask extends FileDigest {
  readonly ms: number;
}

/** Rows of a cut with missing cells apart from empty ones. */
function readRows(path: string): AsyncIterable<(string | null)[]> {
  const cast = (text: string, { quoting }: CastingContext) => (text === '' && !quoting ? null : text);
  return createReadStream(path).pipe(parse({ cast: cast as never, relax_column_count: true, record_delimiter: '\n' }));
}

const breathEvery = 2_000;

/** The rows of one cut with their values typed. */
async function typedRows({ rows: from, columns }: CutRows): Promise<Cell[][]> {
  const rows: Cell[][] = [];
  for await (const cells of readRows(from)) {
    rows.push(columns.map((column, i) => readCell(cells[i] ?? null, column)));
    if (rows.length % breathEvery === 0) await setImmediate();
  }
  return rows;
}

/** Rows with their instants as the wall clock of a zone shows them: workbooks know no zones. */
function onWallClock(rows: Cell[][], columns: readonly DatasetColumn[], timeZone: string): Cell[][] {
  const instants = columns.flatMap((one, i) => (one.type === 'instant' ? [i] : []));
  for (const row of rows)
    for (const i of instants) {
      const at = row[i];
      if (typeof at === 'number' && Number.isFinite(at)) row[i] = at + offsetAt(at, timeZone);
    }
  return rows;
}

/** Writes the rows of one cut in a format of text. */
async function writeText(task: MakeTask & { kind: 'text' }): Promise<void> {
  const writer = rowWriter(task.format, task.columns, { style: task.style, timeZone: task.timeZone });
  const file = new TextFile(task.to, writer.head, task.format === 'csv' ? task.style.encoding : 'utf-8');
  for await (const cells of readRows(task.rows)) file.add(writer.line(cells));
  file.end();
}

/** Writes a workbook while its rows are read: the rows, then a sheet for each figure, then what was filtered. */
async function writeBook(task: MakeTask & { kind: 'book' }): Promise<void> {
  const { to, columns, figures, results } = task;
  writeCopy(to, Buffer.alloc(0));
  const book = new WorkbookWriter(task.about, (bytes) => addToCopy(to, bytes));
  book.sheet({
    title: task.title,
    columns: columns.map((column) => {
      const { type, format } = column;
      return {
        heading: columnHeading(column),
        type: type === 'integer' ? 'number' : type,
        ...(format ? { format } : type === 'integer' ? { format: '0' } : {}),
      };
    }),
  });
  for await (const cells of readRows(task.rows))
    book.row(columns.map((column, i) => readCell(cells[i] ?? null, column)));
  book.endSheet();
  for (const figure of figures) {
    const result = results.get(figure.name);
    if (!result) continue;
    const sheet = toSheet(figure, result);
    book.sheet(sheet);
    for (const row of sheet.rows) book.row(row);
    book.endSheet(sheet.total);
  }
  book.end();
}

async function writeFile(task: MakeTask, filler: BookFiller | undefined): Promise<void> {
  switch (task.kind) {
    case 'page':
      return writeCopy(task.to, task.format === 'pdf' ? await drawPdf(task.scene) : drawPng(task.scene));
    case 'text':
      return writeText(task);
    case 'book':
      return writeBook(task);
    case 'template':
      return writeCopy(
        task.to,
        filler!.fill(task.own, onWallClock(await typedRows(task), task.columns, task.timeZone)),
      );
    case 'made':
      return undefined;
  }
}

/** Reads a file back from the disk; a document was read back when it was printed. @throws {Refusal} `FILE_DAMAGED` */
async function readBack({ kind, to, ...rest }: MakeTask): Promise<void> {
  if (kind === 'page' && 'format' in rest && rest.format === 'png') checkPng(readFileSync(to));
  if (kind === 'book' || kind === 'template') await withFile(to, checkArchive);
}

/** Makes one file and reads it back. @throws {Refusal} `FILE_DAMAGED`, `DISK_FULL`, `TEMPLATE_LEAK`, `VALUE_INVALID` for a text that its encoding cannot hold */
export async function makeFile(task: MakeTask, filler: BookFiller | undefined): Promise<MadeTask> {
  const start = performance.now();
  await makeChecked(
    () => writeFile(task, filler),
    () => readBack(task),
  );
  const ms = task.kind === 'made' ? 0 : performance.now() - start;
  return { ...(await describeFile(task.to)), ms };
}
