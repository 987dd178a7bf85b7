import { csvField, csvLineEnd, withoutFormula } from '../csv/index.ts';
import { columnHeading, dateOrders, readCell, type DatasetColumn, type DateOrder } from '../dataset/index.ts';
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

/** How the cells of CSV are written, for one recipient. */
export interface CellStyle extends CsvStyle {
  /** What stands between day, month and year; a hyphen where the year is first. */
  readonly dateSign?: string;
}

const dateSigns: Readonly<Record<DateOrder, string>> = {
  'day-month-year': '.',
  'month-day-year': '/',
  'year-month-day': '-',
};

/** What spreadsheets of a language take for numbers and dates. @param locale - BCP 47 tag */
function styleOf(locale: string): Required<Pick<CellStyle, 'separator' | 'decimal' | 'dates' | 'dateSign'>> {
  const number = new Intl.NumberFormat(locale, { numberingSystem: 'latn' }).formatToParts(1.5);
  const decimal = number.some((part) => part.type === 'decimal' && part.value === ',') ? 'comma' : 'dot';
  const shape = {
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    calendar: 'gregory',
    numberingSystem: 'latn',
  } as const;
  const parts = new Intl.DateTimeFormat(locale, { ...shape, timeZone: 'UTC' }).formatToParts(0);
  const names = parts.filter((part) => part.type !== 'literal').map((part) => part.type);
  const dates = dateOrders.find((one) => one === names.join('-')) ?? 'year-month-day';
  // Scripts that run from right to left put a mark beside it.
  const [sign] = /[./-]/.exec(parts.find((part) => part.type === 'literal')?.value ?? '') ?? [];
  return {
    separator: decimal === 'comma' ? 'semicolon' : 'comma',
    decimal,
    dates,
    dateSign: sign ?? dateSigns[dates],
  };
}

/** How CSV is written for somebody. @param language - of the recipient, or the installation's */
export function csvStyleFor(style: CsvStyle, language: string): CellStyle {
  if (style.byLanguage !== true) return style;
  const { dateSign, ...local } = styleOf(language);
  return { ...local, ...style, ...(style.dates === undefined ? { dateSign } : {}) };
}

/** `2026-10-31`, maybe with a time after it, in an order of day, month and year; anything else as it is. */
function writeDate(text: string, order: DateOrder, sign: string): string {
  return text.replace(/^(\d{4})-(\d{2})-(\d{2})(?:T(\d{2}:\d{2}:\d{2}).*)?$/, (_, year, month, day, time?: string) => {
    const parts = {
      'day-month-year': [day, month, year],
      'month-day-year': [month, day, year],
      'year-month-day': [year, month, day],
    }[order];
    return `${parts.join(sign)}${time === undefined ? '' : ` ${time}`}`;
  });
}

/** CSV (RFC 4180) with a separator of choice; a text that a spreadsheet would take for a formula gets an apostrophe. */
function csvWriter(columns: readonly DatasetColumn[], style: CellStyle, timeZone: string): RowWriter {
  const separator = separators[style.separator ?? 'comma'];
  const { dates, dateSign = dates && dateSigns[dates] } = style;
  const field = (text: string | null) =>
    text !== null && text.includes(separator) && !text.includes(',')
      ? `"${text.replaceAll('"', '""')}"`
      : csvField(text);
  const day = (text: string) => (dates ? writeDate(text, dates, dateSign!) : text);
  const writers = columns.map((column): ((cell: string) => string) => {
    switch (column.type) {
      case 'text':
        return (cell) => field(withoutFormula(cell));
      case 'date':
        return day;
      case 'instant':
        return (cell) => day(writeInstant(readCell(cell, column) as number, timeZone));
      case 'number':
        if (style.decimal !== 'comma') return field;
        return separator === ',' ? (cell) => field(cell.replace('.', ',')) : (cell) => cell.replace('.', ',');
      default:
        return field;
    }
  });
  const headings = columns.map((one) => (style.headings === 'label' ? columnHeading(one) : one.name));
  return {
    head: `${style.mark || style.encoding === 'utf-16' ? mark : ''}${headings.map((one) => field(withoutFormula(one))).join(separator)}${csvLineEnd}`,
    line: (cells) => `${cells.map((cell, i) => (cell === null ? '' : writers[i]!(cell))).join(separator)}${csvLineEnd}`,
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
  { style = {}, timeZone = 'UTC' }: { readonly style?: CellStyle; readonly timeZone?: string } = {},
): RowWriter {
  return format === 'csv' ? csvWriter(columns, style, timeZone) : jsonWriter(columns, timeZone);
}
