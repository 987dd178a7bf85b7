import { createReadStream } from 'node:fs';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { CsvError } from 'csv-parse';
import {
  ColumnExam,
  guessType,
  toFieldName,
  type CellDialect,
  type DatasetColumn,
  type ExaminedColumn,
  type FileSeparator,
} from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import type { UploadLimits } from '../platform/settings.ts';
import { cellParser } from './fileDialect.ts';

/** A file may have so many columns. */
export const maxColumns = 500;

export const lineTooLong = (bytes: number): Refusal =>
  new Refusal('INPUT_TOO_LARGE', `A row of the file is longer than ${bytes} bytes.`, {
    hint: 'Check for a missing double quote.',
  });
export const tooManyColumns = (): Refusal =>
  new Refusal('INPUT_TOO_LARGE', `The file has more than ${maxColumns} columns.`);
export const tooManyCells = (cells: number): Refusal =>
  new Refusal('INPUT_TOO_LARGE', `The file has more than ${cells} values.`, {
    hint: 'Import it from a data source instead.',
  });

/** What a CSV library complained about, as one of ours. */
function csvRefusal(cause: unknown): unknown {
  if (!(cause instanceof CsvError)) return cause;
  const line = typeof cause['lines'] === 'number' ? cause['lines'] : undefined;
  if (cause.code === 'CSV_MAX_RECORD_SIZE') return lineTooLong(maxRecordBytes);
  const pointer = line === undefined ? undefined : `line ${line}`;
  if (cause.code.startsWith('CSV_RECORD_INCONSISTENT')) {
    return new Refusal(
      'FILE_RAGGED',
      `${pointer}: the row has another number of values than the header.`,
      {
        pointer,
        hint: 'Check the separator, and put values that contain it in double quotes.',
      },
      { cause },
    );
  }
  return new Refusal('FILE_MALFORMED', `${pointer ?? 'The file'}: ${cause.message}.`, { pointer }, { cause });
}

/** A row that is longer is taken for a quotation mark without its partner. */
const maxRecordBytes = 1_048_576;

/** Reads CSV (RFC 4180, with any separator) that is UTF-8 row by row, rows of equal length checked. */
export async function readCsv(
  bytes: Readable,
  onRow: (cells: string[], index: number) => void,
  {
    maxLineBytes = maxRecordBytes,
    maxCells = Infinity,
    separator = 'comma',
  }: Partial<UploadLimits> & { readonly separator?: FileSeparator } = {},
): Promise<number> {
  let rows = 0;
  // When the reader stops the pipeline, what comes out may be the streams' complaint about it instead of the reason.
  let refusal: unknown;
  try {
    await pipeline(bytes, cellParser(separator, maxLineBytes), async (records: AsyncIterable<string[]>) => {
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
    });
  } catch (error) {
    throw refusal ?? csvRefusal(error);
  }
  if (rows === 0) throw new Refusal('FILE_EMPTY', 'The file is empty.', { hint: 'The first row is the header.' });
  return rows - 1;
}

/** Headings as column names. @throws {Refusal} `FILE_COLUMN_INVALID` for an empty or repeated one */
export function columnNames(headings: readonly string[]): string[] {
  const names = headings.map((heading, i) => {
    if (heading.trim() === '')
      throw new Refusal('FILE_COLUMN_INVALID', `Column ${i + 1} has no heading.`, { pointer: `column ${i + 1}` });
    return toFieldName(heading);
  });
  names.forEach((name, i) => {
    if (names.indexOf(name) === i) return;
    throw new Refusal('FILE_COLUMN_INVALID', `Two headings give the column name “${name}”.`, {
      pointer: `column ${i + 1}`,
      word: headings[i],
    });
  });
  return names;
}

/** A column of a file as it was found, with the name that it would get. */
export type FileColumn = ExaminedColumn & { readonly name: string };

/** Looks at every cell of a CSV file: in which ways it can be read, samples. */
export async function examineCsv(
  path: string,
  options: Partial<UploadLimits> & { readonly separator?: FileSeparator } = {},
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
    options,
  );
  if (rows === 0) throw new Refusal('FILE_EMPTY', 'The file has a header but no rows.');
  return { rows, columns: names.map((name, i) => ({ name, ...exams[i]!.result })) };
}

/** The columns of a file as a dataset would have them. */
export function toColumns(found: readonly FileColumn[], dialect: CellDialect): DatasetColumn[] {
  return found.map((column) => {
    const { name, heading } = column;
    return { name, type: guessType(column, dialect), ...(heading === name ? {} : { label: heading }) };
  });
}
