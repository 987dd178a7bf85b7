import type { ColumnType } from './columns.ts';
import { fitsType, isDate } from './values.ts';

export const fileEncodings = [
  'utf-8',
  'utf-16',
  'windows-1250',
  'windows-1251',
  'windows-1252',
  'windows-1253',
  'iso-8859-15',
] as const;
export const fileSeparators = ['comma', 'semicolon', 'tab', 'pipe'] as const;
export const decimalSigns = ['dot', 'comma'] as const;
export const dateOrders = ['day-month-year', 'month-day-year', 'year-month-day'] as const;

export type FileEncoding = (typeof fileEncodings)[number];
export type FileSeparator = (typeof fileSeparators)[number];
export type DecimalSign = (typeof decimalSigns)[number];
export type DateOrder = (typeof dateOrders)[number];

/** How the cells of a file are written; what is left out is not known. */
export interface CellDialect {
  readonly decimal?: DecimalSign;
  readonly dates?: DateOrder;
}

/** How a file of text is written. */
export interface FileDialect extends CellDialect {
  readonly encoding?: FileEncoding;
  readonly separator?: FileSeparator;
}

export const separatorSigns: Readonly<Record<FileSeparator, string>> = {
  comma: ',',
  semicolon: ';',
  tab: '\t',
  pipe: '|',
};

/** Digits in groups of three, the same sign between all of them; a space groups only what has decimals. */
const groups: Readonly<Record<DecimalSign, RegExp>> = {
  dot: /^[+-]?[1-9]\d{0,2}(?:([,’'\u00a0\u202f])\d{3}(?:\1\d{3})*(?:\.\d+)?|( )\d{3}(?:\2\d{3})*\.\d+)$/,
  comma:
    /^[+-]?(?:\d+|[1-9]\d{0,2}(?:([.’'\u00a0\u202f])\d{3}(?:\1\d{3})*)|[1-9]\d{0,2}(?:( )\d{3}(?:\2\d{3})*)(?=,))?(?:,\d+)?(?:[eE][+-]?\d{1,4})?$/,
};

function canonicalNumber(bare: string, decimal: DecimalSign): string | undefined {
  if (decimal === 'dot' && fitsType(bare, 'number')) return bare;
  if (!/\d/.test(bare) || !groups[decimal].test(bare)) return undefined;
  const grouping = decimal === 'dot' ? /[,’'\s]/g : /[.’'\s]/g;
  const plain = bare.replace(grouping, '').replace(',', '.');
  return fitsType(plain, 'number') ? plain : undefined;
}

const yearLast = /^(\d{1,2})([./-])(\d{1,2})\2(\d{4})$/;
const yearFirst = /^(\d{4})([./-])(\d{1,2})\2(\d{1,2})$/;

/** @param order - without one, only what is the same day in every order is read: 2026-10-01, 01.01.2026 */
function canonicalDate(bare: string, order: DateOrder | undefined): string | undefined {
  const first = yearFirst.exec(bare);
  const last = order === 'year-month-day' ? null : yearLast.exec(bare);
  if (order === undefined && last !== null && Number(last[1]) !== Number(last[3])) return undefined;
  const [year, month, day] = first
    ? [first[1], first[3], first[4]]
    : order === 'month-day-year'
      ? [last?.[4], last?.[1], last?.[3]]
      : [last?.[4], last?.[3], last?.[1]];
  if (year === undefined) return undefined;
  const text = `${year}-${month!.padStart(2, '0')}-${day!.padStart(2, '0')}`;
  return isDate(text) ? text : undefined;
}

/** What stands for true and false in files, in the languages that the service speaks and those of their neighbours. */
const booleanWords = new Map<string, 'true' | 'false'>([
  ...['true', 'yes', 'y', 'ja', 'j', 'wahr', 'oui', 'vrai', 'sí', 'sì', 'sim'].map((word) => [word, 'true'] as const),
  ...['false', 'no', 'n', 'nein', 'falsch', 'non', 'faux', 'não', 'nee', 'nej', 'nei'].map(
    (word) => [word, 'false'] as const,
  ),
]);

/**
 * A cell as every type writes it (decimal point, no grouping, dates as ISO 8601 has them, `true` and `false`).
 *
 * @param dialect - what is left out is read as a dot, and as dates that are the same day in every order
 * @returns nothing when the cell does not fit the type
 */
export function canonicalCell(cell: string, type: ColumnType, dialect: CellDialect): string | undefined {
  if (type === 'text') return fitsType(cell, type) ? cell : undefined;
  const bare = cell.trim();
  if (type === 'date') return canonicalDate(bare, dialect.dates);
  if (type === 'boolean') return booleanWords.get(bare.toLowerCase());
  if (type !== 'integer' && type !== 'number') return fitsType(bare, type) ? bare : undefined;
  const plain = canonicalNumber(bare, dialect.decimal ?? 'dot');
  return plain !== undefined && fitsType(plain, type) ? plain : undefined;
}

/**
 * What holds for the next file. Workbooks and JSON Lines have numbers of their own: they settle no decimal sign, and leave what
 * files of text settled as it is.
 */
export function dialectToKeep(known: FileDialect | null | undefined, now: FileDialect): FileDialect {
  if (now.separator !== undefined) return now;
  return { ...known, ...(now.dates ? { dates: now.dates } : {}) };
}

/** What can be said of how a file is written, as one sentence. */
export function dialectWords({ encoding, separator, decimal, dates }: FileDialect): string {
  const parts = [
    ...(encoding ? [encoding.toUpperCase()] : []),
    ...(separator ? [`separator ${separator}`] : []),
    ...(decimal ? [`decimal ${decimal}`] : []),
    ...(dates ? [`dates as ${dates}`] : []),
  ];
  return parts.join(', ');
}
