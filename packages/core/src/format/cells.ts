import type { DateStep, Value, ValueType } from '../dataset/index.ts';
import { formatNumber } from './numberPattern.ts';

/** How a reader wants things shown. */
export interface FormatOptions {
  /** BCP 47 language tag. */
  readonly locale: string;
  /** IANA time zone. */
  readonly timeZone: string;
}

export interface ShownColumn {
  readonly type: ValueType;
  readonly format?: string;
  readonly unit?: string;
  /** Dates are the first days of stretches of this length. */
  readonly step?: DateStep;
}

/** A missing value, as people see it. */
export const missingMark = '–';

/** Making one costs a hundred times what using it does. */
const writers = new Map<string, Intl.DateTimeFormat>();

/** A writer of dates, made once for each language, zone and look. */
export function dateWriter(locale: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = `${locale} ${JSON.stringify(options)}`;
  const known = writers.get(key);
  if (known) return known;
  const made = new Intl.DateTimeFormat(locale, options);
  writers.set(key, made);
  return made;
}

/** A date as people write it in a language, short: 1 Oct 2026. */
export function formatDate(date: string, locale: string, month: 'short' | 'long' = 'short'): string {
  const options: Intl.DateTimeFormatOptions = { day: 'numeric', month, year: 'numeric', timeZone: 'UTC' };
  return dateWriter(locale, options).format(new Date(`${date}T00:00:00Z`));
}

const instantParts: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
  timeZoneName: 'short',
};

/**
 * An instant as people read it, always with the zone of its wall clock: `1 Nov 2026, 06:00 UTC`.
 *
 * @param at - milliseconds since 1970-01-01T00:00:00Z
 * @param taste - the zone is the installation's; a screen and a recipient's copy may have their own
 */
export const formatInstant = (at: number | Date, { locale, timeZone }: FormatOptions): string =>
  dateWriter(locale, { ...instantParts, timeZone }).format(at);

const stepStyles: Readonly<Record<Exclude<DateStep, 'week' | 'quarter'>, Intl.DateTimeFormatOptions>> = {
  day: { day: 'numeric', month: 'short', year: 'numeric' },
  month: { month: 'short', year: 'numeric' },
  year: { year: 'numeric' },
};
const axisStyles: typeof stepStyles = { ...stepStyles, day: { day: 'numeric', month: 'short' } };

/**
 * A stretch of time by its first day: `Oct 2026`, `week of 5 Oct 2026`, `Q4 2026`.
 *
 * @param where - on an axis there is less room
 */
export function formatStep(
  date: string,
  step: DateStep = 'day',
  locale = 'en-GB',
  where: 'axis' | 'text' = 'text',
): string {
  if (step === 'quarter') return `Q${Math.floor((Number(date.slice(5, 7)) - 1) / 3) + 1} ${date.slice(0, 4)}`;
  const looks = where === 'axis' ? axisStyles : stepStyles;
  const text = dateWriter(locale, { ...looks[step === 'week' ? 'day' : step], timeZone: 'UTC' }).format(
    new Date(`${date}T00:00:00Z`),
  );
  return step === 'week' && where === 'text' ? `week of ${text}` : text;
}

/** One cell as text for people; the unit is left to the heading. */
export function formatCell(value: Value | null | undefined, column: ShownColumn, taste: FormatOptions): string {
  if (value === null || value === undefined) return missingMark;
  switch (column.type) {
    case 'number':
      return formatNumber(value as number, column.format, taste.locale);
    case 'boolean':
      return value === true ? 'yes' : 'no';
    case 'date':
      return formatStep(value as string, column.step, taste.locale);
    case 'instant':
      return formatInstant(value as number, taste);
    case 'text':
      return value as string;
  }
}
