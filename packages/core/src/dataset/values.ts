import { Refusal } from '../refusal/index.ts';
import type { ColumnType, DatasetColumn, Value, ValueType } from './columns.ts';
import { readNumber } from './numbers.ts';

const examples: Record<ColumnType, string> = {
  text: 'any text',
  integer: 'a whole number, example: 12',
  number: 'a number, example: 12.5',
  boolean: 'true or false',
  date: 'a date, example: 2026-10-01',
  instant: 'a timestamp, example: 2026-10-01T06:00:00Z',
};

const datePattern = /^(\d{4})-(\d{2})-(\d{2})$/;
const instantPattern = /^(\d{4}-\d{2}-\d{2})[T ](\d{2}):(\d{2})(?::(\d{2})(\.\d{1,9})?)?(Z|[+-]\d{2}(?::?\d{2})?)$/;

/** Whether a text is a day of the proleptic Gregorian calendar, written as ISO 8601 does. */
export function isDate(text: string): boolean {
  const match = datePattern.exec(text);
  if (match === null) return false;
  const [year, month, day] = match.slice(1).map(Number) as [number, number, number];
  const date = new Date(Date.UTC(2000, month - 1, day));
  date.setUTCFullYear(year, month - 1, day);
  return year >= 1 && date.getUTCMonth() === month - 1 && date.getUTCDate() === day;
}

/** Milliseconds since the epoch, with fractions for microseconds; undefined when the text is no instant with an offset. */
export function readInstant(text: string): number | undefined {
  const match = instantPattern.exec(text);
  if (match === null || !isDate(match[1]!)) return undefined;
  const [hours, minutes, seconds] = [Number(match[2]), Number(match[3]), Number(match[4] ?? 0)];
  if (hours > 23 || minutes > 59 || seconds > 59) return undefined;
  const zone = match[6]!;
  const sign = zone.startsWith('-') ? -1 : 1;
  const offset =
    zone === 'Z' ? 0 : sign * (Number(zone.slice(1, 3)) * 60 + Number(zone.slice(3).replace(':', '') || 0));
  const whole = Date.parse(`${match[1]}T${match[2]}:${match[3]}:${match[4] ?? '00'}Z`) - offset * 60_000;
  // Whole microseconds, as PostgreSQL keeps them; the same number however it was written.
  return whole + Math.round(Number(match[5] ?? 0) * 1_000_000) / 1000;
}

function read(text: string, type: ColumnType): Value | undefined {
  const bare = text.trim();
  switch (type) {
    case 'text':
      return text.includes('\0') || !text.isWellFormed() ? undefined : text;
    case 'integer':
      return /^[+-]?\d{1,18}$/.test(bare) ? readNumber(bare) : undefined;
    case 'number':
      return Number.isFinite(Number(bare)) ? readNumber(bare) : undefined;
    case 'boolean':
      return { true: true, false: false }[bare.toLowerCase()];
    case 'date':
      return isDate(bare) ? bare : undefined;
    case 'instant':
      return readInstant(bare);
  }
}

/**
 * Reads a value by the declared type, not by quotes.
 *
 * @throws {Refusal} `VALUE_INVALID`, saying what the type wants
 */
export function parseValue(text: string, type: ColumnType, what = 'value'): Value {
  const value = read(text, type);
  if (value !== undefined) return value;
  throw new Refusal('VALUE_INVALID', `${what} “${text.slice(0, 60)}” is not ${examples[type]}.`, {
    word: text.slice(0, 60),
    expected: examples[type],
  });
}

/** Whether a text can be read as a type; what type inference asks. */
export function fitsType(text: string, type: ColumnType): boolean {
  return read(text, type) !== undefined;
}

const specialNumbers = new Map([
  ['NaN', NaN],
  ['Infinity', Infinity],
  ['-Infinity', -Infinity],
]);

/**
 * Reads a cell as PostgreSQL writes it, with the values that no person types: `t` and `f`, NaN and the infinities.
 *
 * @throws {Refusal} `VALUE_INVALID`, also for dates before the year 1 or after 9999
 */
export function readCell(text: string | null, column: DatasetColumn): Value | null {
  if (text === null) return null;
  const { type, name } = column;
  if (type === 'boolean') return text === 't' || text === 'true';
  if (type === 'number' && specialNumbers.has(text)) return specialNumbers.get(text)!;
  if (text === 'infinity' || text === '-infinity') {
    if (type === 'date') return text;
    if (type === 'instant') return text === 'infinity' ? Infinity : -Infinity;
  }
  // A column may hold numbers beyond what a person may type.
  return (type === 'number' || type === 'integer' ? readNumber(text) : undefined) ?? parseValue(text, type, name);
}

/** The text of a value: what PostgreSQL reads and what file names and messages show. */
export function formatValue(value: Value, type: ValueType): string {
  if (type === 'instant') return formatInstant(value as number);
  return String(value);
}

function formatInstant(value: number): string {
  if (!Number.isFinite(value)) return value > 0 ? 'infinity' : '-infinity';
  const whole = Math.floor(value);
  const micros = Math.round((value - whole) * 1000);
  const text = new Date(whole).toISOString();
  return micros === 0 ? text : `${text.slice(0, -1)}${String(micros).padStart(3, '0')}Z`;
}
