import { csvField, csvLineEnd, withoutFormula } from '../csv/index.ts';
import { readCell, type DatasetColumn } from '../dataset/index.ts';
import { writeInstant } from '../format/index.ts';
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
function csvWriter(columns: readonly DatasetColumn[], style: CsvStyle, timeZone: string): RowWriter {
  const separator = separators[style.separator ?? 'comma'];
  const field = (text: string | null) =>
    text !== null && text.includes(separator) && !text.includes(',')
      ? `"${text.replaceAll('"', '""')}"`
      : csvField(text);
  const guarded = columns.map((one) => one.type === 'text');
  const instants = columns.map((one) => one.type === 'instant');
  return {
    head: `${style.mark || style.encoding === 'utf-16' ? mark : ''}${columns.map((one) => field(one.name)).join(separator)}${csvLineEnd}`,
    line: (cells) =>
      `${cells
        .map((cell, i) => {
          if (cell === null) return field(cell);
          if (guarded[i]) return field(withoutFormula(cell));
          return field(instants[i] ? writeInstant(readCell(cell, columns[i]!) as number, timeZone) : cell);
        })
        .join(separator)}${csvLineEnd}`,
  };
}

/** A cell as JSON; numbers digit by digit as they were, so that none loses a place. */
function json(text: string | null, column: DatasetColumn, timeZone: string): string {
  if (text === null) return 'null';
  const { type } = column;
  if ((type === 'integer' || type === 'number') && /^-?\d/.test(text)) return text;
  if (type === 'boolean') return String(readCell(text, column));
  if (type === 'instant') return JSON.stringify(writeInstant(readCell(text, column) as number, timeZone));
  return JSON.stringify(text);
}

/** JSON Lines: an object a row. */
function jsonWriter(columns: readonly DatasetColumn[], timeZone: string): RowWriter {
  const names = columns.map((one) => JSON.stringify(one.name));
  return {
    head: '',
    line: (cells) =>
      `{${columns.map((column, i) => `${names[i]!}:${json(cells[i] ?? null, column, timeZone)}`).join(',')}}\n`,
  };
}

/** How the rows of a copy are written in a format of text. @param options - `timeZone`: of the wall clock that instants show */
export function rowWriter(
  format: 'csv' | 'jsonl',
  columns: readonly DatasetColumn[],
  { style = {}, timeZone = 'UTC' }: { readonly style?: CsvStyle; readonly timeZone?: string } = {},
): RowWriter {
  return format === 'csv' ? csvWriter(columns, style, timeZone) : jsonWriter(columns, timeZone);
}
