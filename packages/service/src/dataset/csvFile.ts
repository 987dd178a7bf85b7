import { createReadStream } from 'node:fs';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { parse, CsvError } from 'csv-parse';
import { ColumnExam, toFieldName, type DatasetColumn, type ExaminedColumn } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import type { UploadLimits } from '../platform/settings.ts';

/** A file may have so many columns. */
export const maxColumns = 500;

export const lineTooLong = (bytes: number): Refusal =>
  new Refusal('INPUT_TOO_LARGE', `a row of the file is longer than ${bytes} bytes`, {
    hint: 'is a quotation mark missing its partner?',
  });
export const tooManyColumns = (): Refusal =>
  new Refusal('INPUT_TOO_LARGE', `the file has more than ${maxColumns} columns`);
export const tooManyCells = (cells: number): Refusal =>
  new Refusal('INPUT_TOO_LARGE', `the file has more than ${cells} cells`, { hint: 'load it from a source instead' });

const encodingMessage = 'the file is not UTF-8 text';

/** Passes bytes through and stops at the first that is not UTF-8. */
function strictUtf8(): Transform {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let offset = 0;
  const check = (chunk: Buffer | undefined) => {
    try {
      decoder.decode(chunk, { stream: chunk !== undefined });
    } catch (cause) {
      throw new Refusal(
        'FILE_NOT_UTF8',
        encodingMessage,
        { pointer: `near byte ${offset}`, hint: 'save it as UTF-8' },
        { cause },
      );
    }
    offset += chunk?.length ?? 0;
  };
  const guarded = (work: () => void, done: (error?: Error | null, data?: Buffer) => void, data?: Buffer) => {
    try {
      work();
      done(null, data);
    } catch (error) {
      done(error as Error);
    }
  };
  return new Transform({
    transform: (chunk: Buffer, _, done) => guarded(() => check(chunk), done, chunk),
    flush: (done) => guarded(() => check(undefined), done),
  });
}

/** What a CSV library complained about, as one of ours. */
function csvRefusal(cause: unknown): unknown {
  if (!(cause instanceof CsvError)) return cause;
  const line = typeof cause['lines'] === 'number' ? cause['lines'] : undefined;
  if (cause.code === 'CSV_MAX_RECORD_SIZE') return lineTooLong(maxRecordBytes);
  const pointer = line === undefined ? undefined : `line ${line}`;
  if (cause.code.startsWith('CSV_RECORD_INCONSISTENT')) {
    return new Refusal(
      'FILE_RAGGED',
      `${pointer}: the row has another number of cells than the headings`,
      { pointer, hint: 'cells with commas stand in double quotes' },
      { cause },
    );
  }
  return new Refusal('FILE_MALFORMED', `${pointer ?? 'the file'}: ${cause.message}`, { pointer }, { cause });
}

/** A row that is longer is taken for a quotation mark without its partner. */
const maxRecordBytes = 1_048_576;

/** Reads a CSV (RFC 4180) row by row, UTF-8 checked, rows of equal length checked. */
export async function readCsv(
  bytes: Readable,
  onRow: (cells: string[], index: number) => void,
  { maxLineBytes = maxRecordBytes, maxCells = Infinity }: Partial<UploadLimits> = {},
): Promise<number> {
  let rows = 0;
  // When the reader stops the pipeline, what comes out may be the streams' complaint about it instead of the reason.
  let refusal: unknown;
  try {
    await pipeline(
      bytes,
      strictUtf8(),
      parse({ bom: true, skip_empty_lines: true, max_record_size: maxLineBytes }),
      async (records: AsyncIterable<string[]>) => {
        for await (const cells of records) {
          try {
            if (cells.length > maxColumns) throw tooManyColumns();
            if (cells.length * rows > maxCells) throw tooManyCells(maxCells);
            onRow(cells, rows++);
          } catch (error) {
            refusal = error;
            throw error;
          }
        }
      },
    );
  } catch (error) {
    throw refusal ?? csvRefusal(error);
  }
  if (rows === 0) throw new Refusal('FILE_EMPTY', 'the file is empty', { hint: 'the first row holds the headings' });
  return rows - 1;
}

/** Headings as column names. @throws {Refusal} `FILE_COLUMN_INVALID` for an empty or repeated one */
export function columnNames(headings: readonly string[]): string[] {
  const names = headings.map((heading, i) => {
    if (heading.trim() === '')
      throw new Refusal('FILE_COLUMN_INVALID', `column ${i + 1} has no heading`, { pointer: `column ${i + 1}` });
    return toFieldName(heading);
  });
  names.forEach((name, i) => {
    if (names.indexOf(name) === i) return;
    throw new Refusal('FILE_COLUMN_INVALID', `two headings become the column \`${name}\``, {
      pointer: `column ${i + 1}`,
      word: headings[i],
    });
  });
  return names;
}

/** A column of a file as it was found, with the name that it would get. */
export type FileColumn = ExaminedColumn & { readonly name: string };

/** Looks at every cell of a CSV file: types that fit, samples, cells that do not fit. */
export async function examineCsv(
  path: string,
  limits: Partial<UploadLimits> = {},
): Promise<{ columns: FileColumn[]; rows: number }> {
  let names: string[] = [];
  let exams: ColumnExam[] = [];
  const rows = await readCsv(
    createReadStream(path),
    (cells, index) => {
      if (index > 0) return cells.forEach((cell, i) => exams[i]!.add(cell));
      names = columnNames(cells);
      exams = cells.map((heading) => new ColumnExam(heading));
    },
    limits,
  );
  if (rows === 0) throw new Refusal('FILE_EMPTY', 'the file has headings but no rows');
  return { rows, columns: names.map((name, i) => ({ name, ...exams[i]!.result })) };
}

/** The columns of a file as a dataset would have them. */
export function toColumns(found: readonly FileColumn[]): DatasetColumn[] {
  return found.map(({ name, heading, type }) => ({ name, type, ...(heading === name ? {} : { label: heading }) }));
}
