import type { Value, ValueType } from '../dataset/index.ts';
import { formatNumber } from './numberPattern.ts';

/** How a reader wants things shown. */
export interface ReaderTaste {
  /** BCP 47 language tag. */
  readonly locale: string;
  /** IANA time zone. */
  readonly timeZone: string;
}

export interface ShownColumn {
  readonly type: ValueType;
  readonly format?: string;
  readonly unit?: string;
}

/** A missing value, as people see it. */
export const missingMark = '–';

/** A date as people write it in a language, short: 1 Oct 2026. */
export function formatDate(date: string, locale: string, month: 'short' | 'long' = 'short'): string {
  const options: Intl.DateTimeFormatOptions = { day: 'numeric', month, year: 'numeric', timeZone: 'UTC' };
  return new Intl.DateTimeFormat(locale, options).format(new Date(`${date}T00:00:00Z`));
}

/** One cell as text for people; the unit is left to the heading. */
export function formatCell(value: Value | null | undefined, column: ShownColumn, taste: ReaderTaste): string {
  if (value === null || value === undefined) return missingMark;
  switch (column.type) {
    case 'number':
      return formatNumber(value as number, column.format, taste.locale);
    case 'boolean':
      return value === true ? 'yes' : 'no';
    case 'date':
      return formatDate(value as string, taste.locale);
    case 'instant':
      return new Intl.DateTimeFormat(taste.locale, {
        dateStyle: 'medium',
        timeStyle: 'short',
        timeZone: taste.timeZone,
      }).format(value as number);
    case 'text':
      return value as string;
  }
}
