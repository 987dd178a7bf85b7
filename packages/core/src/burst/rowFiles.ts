import { csvField, csvLineEnd, withoutFormula } from '../csv/index.ts';
import { formatValue, readCell, type DatasetColumn } from '../dataset/index.ts';
import type { CsvStyle } from './definition.ts';

/** Writes the rows of one copy as text, row by row. */
export interface RowWriter {
  /** What stands before the rows. */
  readonly head: string;
  /** @param cells - as COPY writes them; missing is null */
  readonly line: (cells: readonly (string | null)[]) => string;
}

const separators = { comma: ',', semicolon: ';', tab: '\t' } as const;
const mark = '\ufeff';

/** CSV (RFC 4180) with a separator of choice; a text that a spreadsheet would take for a formula gets an apostrophe. */
function csvWriter(columns: readonly DatasetColumn[], style: CsvStyle): RowWriter {
  const separator = separators[style.separator ?? 'comma'];
  const field = (text: string | null) =>
    text !== null && text.includes(separator) && !text.includes(',')
      ? `"${text.replaceAll('"', '""')}"`
      : csvField(text);
  const guarded = columns.map((one) => one.type === 'text');
  return {
    head: `${style.mark || style.encoding === 'utf-16' ? mark : ''}${columns.map((one) => field(one.name)).join(separator)}${csvLineEnd}`,
    line: (cells) =>
      `${cells.map((cell, i) => field(cell !== null && guarded[i] ? withoutFormula(cell) : cell)).join(separator)}${csvLineEnd}`,
  };
}

/** A cell as JSON; numbers digit by digit as they were, so that none loses a place. */
function json(text: string | null, column: DatasetColumn): string {
  if (text === null) return 'null';
  const { type } = column;
  if ((type === 'integer' || type === 'number') && /^-?\d/.test(text)) return text;
  if (type === 'boolean') return String(readCell(text, column));
  if (type === 'instant') return JSON.stringify(formatValue(readCell(text, column)!, 'instant'));
  return JSON.stringify(text);
}

/** JSON Lines: an object a row. */
function jsonWriter(columns: readonly DatasetColumn[]): RowWriter {
  const names = columns.map((one) => JSON.stringify(one.name));
  return {
    head: '',
    line: (cells) => `{${columns.map((column, i) => `${names[i]!}:${json(cells[i] ?? null, column)}`).join(',')}}\n`,
  };
}

/** How the rows of a copy are written in a format of text. */
export function rowWriter(format: 'csv' | 'jsonl', columns: readonly DatasetColumn[], style: CsvStyle = {}): RowWriter {
  return format === 'csv' ? csvWriter(columns, style) : jsonWriter(columns);
}
