import { dateWriter } from '../format/index.ts';
import { isDate } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';

/** A stretch of whole days, both ends within it, as `YYYY-MM-DD`. */
export interface DateSpan {
  readonly from: string;
  readonly to: string;
}

/** A kind of stretch that periods are counted by. */
export type SpanUnit = 'day' | 'week' | 'month' | 'quarter' | 'year';
type Unit = SpanUnit;

const dayMs = 86_400_000;
const at = (date: string) => Date.parse(`${date}T00:00:00Z`);
const dateOf = (ms: number) => new Date(ms).toISOString().slice(0, 10);
export const addDays = (date: string, days: number) => dateOf(at(date) + days * dayMs);

/** The same day so many months later; the last day of a month that has no such day. */
export function addMonths(date: string, months: number): string {
  const [year, month, day] = date.split('-').map(Number) as [number, number, number];
  const last = new Date(Date.UTC(year, month - 1 + months + 1, 0)).getUTCDate();
  return dateOf(Date.UTC(year, month - 1 + months, Math.min(day, last)));
}

/** The first day of the stretch that a day lies in; weeks begin on Monday (ISO 8601). */
export function startOf(date: string, unit: Unit): string {
  const [year, month] = date.split('-') as [string, string];
  if (unit === 'week') return addDays(date, -((new Date(at(date)).getUTCDay() + 6) % 7));
  if (unit === 'month') return `${year}-${month}-01`;
  if (unit === 'quarter') return `${year}-${String(Math.floor((Number(month) - 1) / 3) * 3 + 1).padStart(2, '0')}-01`;
  return unit === 'year' ? `${year}-01-01` : date;
}

/** The first day of the stretch that comes so many later. */
export function stepBy(start: string, unit: Unit, count: number): string {
  if (unit === 'day' || unit === 'week') return addDays(start, count * (unit === 'week' ? 7 : 1));
  return addMonths(start, count * { month: 1, quarter: 3, year: 12 }[unit]);
}

/** The whole stretch that begins on a day. */
export function spanFrom(start: string, unit: Unit, count = 1): DateSpan {
  return { from: start, to: addDays(stepBy(start, unit, count), -1) };
}

/** The first day of ISO week `2026-W40`: the week with the year's first Thursday is the first. */
function weekStart(year: number, week: number): string | undefined {
  const first = startOf(dateOf(Date.UTC(year, 0, 4)), 'week');
  const start = addDays(first, (week - 1) * 7);
  return week >= 1 && addDays(start, 3).startsWith(`${year}-`) ? start : undefined;
}

/** A whole stretch by its name in ISO 8601: `2026`, `2026-Q4`, `2026-10`, `2026-W44`, `2026-10-26`. */
export function spanName(start: string, unit: Unit): string {
  if (unit === 'day') return start;
  if (unit === 'month') return start.slice(0, 7);
  if (unit === 'year') return start.slice(0, 4);
  if (unit === 'quarter') return `${start.slice(0, 4)}-Q${Math.ceil(Number(start.slice(5, 7)) / 3)}`;
  // A week belongs to the year that its Thursday lies in.
  const year = addDays(start, 3).slice(0, 4);
  const first = startOf(`${year}-01-04`, 'week');
  return `${year}-W${String(1 + Math.round((at(start) - at(first)) / (7 * dayMs))).padStart(2, '0')}`;
}

/** Standard forms: a year, quarter, month, week, day, or an interval of two days (ISO 8601). */
function readWritten(text: string): DateSpan | undefined {
  const interval = /^(\S+)\/(\S+)$/.exec(text);
  if (interval) {
    const [, from, to] = interval as unknown as [string, string, string];
    return isDate(from) && isDate(to) && from <= to ? { from, to } : undefined;
  }
  if (isDate(text)) return { from: text, to: text };
  const year = /^(\d{4})$/.exec(text)?.[1];
  if (year && isDate(`${year}-01-01`)) return spanFrom(`${year}-01-01`, 'year');
  const month = /^\d{4}-\d{2}$/.test(text) && isDate(`${text}-01`);
  if (month) return spanFrom(`${text}-01`, 'month');
  const quarter = /^(\d{4})-Q([1-4])$/i.exec(text);
  if (quarter) return spanFrom(`${quarter[1]}-${String(Number(quarter[2]) * 3 - 2).padStart(2, '0')}-01`, 'quarter');
  const week = /^(\d{4})-W(\d{2})$/i.exec(text);
  const start = week ? weekStart(Number(week[1]), Number(week[2])) : undefined;
  return start === undefined ? undefined : spanFrom(start, 'week');
}

/** Words that move with the day: `today`, `this week`, `last month`, `last 30 days`, `year to date`. */
function readRelative(text: string, today: string): DateSpan | undefined {
  const words = text.trim().toLowerCase().replace(/\s+/g, ' ');
  if (words === 'today') return { from: today, to: today };
  if (words === 'yesterday') return spanFrom(addDays(today, -1), 'day');
  const toDate = /^(month|quarter|year) to date$/.exec(words);
  if (toDate) return { from: startOf(today, toDate[1] as Unit), to: today };
  const one = /^(this|last) (week|month|quarter|year)$/.exec(words);
  if (one) {
    const unit = one[2] as Unit;
    const start = startOf(today, unit);
    return spanFrom(one[1] === 'this' ? start : stepBy(start, unit, -1), unit);
  }
  const many = /^last (\d{1,3}) (day|week|month|quarter|year)s?$/.exec(words);
  if (!many || Number(many[1]) < 1) return undefined;
  const unit = many[2] as Unit;
  const count = Number(many[1]);
  // Whole ones only: the one that today lies in is not over.
  return spanFrom(stepBy(startOf(today, unit), unit, -count), unit, count);
}

export const spanExamples =
  'a period, example: 2026-10, 2026-Q3, 2026-W40, 2026-09-14/2026-09-20, last month or last 30 days';

/**
 * Reads a stretch of days.
 *
 * @param today - `YYYY-MM-DD` in the reader's zone; what relative words count from
 * @throws {Refusal} `VALUE_INVALID`
 * @see ISO 8601-1, sections 5.2 and 5.5
 */
export function readSpan(text: string, today: string, what = 'period'): DateSpan {
  const span = readWritten(text.trim()) ?? readRelative(text, today);
  if (span && span.from >= '0001-01-01' && span.to <= '9999-12-31') return span;
  const word = text.slice(0, 60);
  throw new Refusal('VALUE_INVALID', `${what} “${word}” is not ${spanExamples}.`, { word, expected: spanExamples });
}

/** Reads a single day, also in words: `today`, `yesterday`, `3 days ago`. */
export function readDay(text: string, today: string): string {
  const words = text.trim().toLowerCase();
  const ago = /^(\d{1,4}) days? ago$/.exec(words);
  if (ago) return addDays(today, -Number(ago[1]));
  return words === 'today' ? today : words === 'yesterday' ? addDays(today, -1) : text.trim();
}

/** Whether the span is made of whole months, and of how many. */
function wholeMonths({ from, to }: DateSpan): number | undefined {
  const after = addDays(to, 1);
  if (!from.endsWith('-01') || !after.endsWith('-01')) return undefined;
  const [fromYear, fromMonth] = from.split('-').map(Number) as [number, number];
  const [toYear, toMonth] = after.split('-').map(Number) as [number, number];
  return (toYear - fromYear) * 12 + toMonth - fromMonth;
}

/** The span of the same kind just before, or a year earlier. Whole months stay whole months. */
export function spanBefore(span: DateSpan, how: 'period before' | 'year before'): DateSpan {
  const months = wholeMonths(span);
  if (how === 'year before') {
    if (months === undefined) return { from: addMonths(span.from, -12), to: addMonths(span.to, -12) };
    return spanFrom(addMonths(span.from, -12), 'month', months);
  }
  if (months !== undefined) return spanFrom(addMonths(span.from, -months), 'month', months);
  const days = (at(span.to) - at(span.from)) / dayMs + 1;
  return { from: addDays(span.from, -days), to: addDays(span.to, -days) };
}

/** A span as people write it: "October 2026", "14 to 20 Sep 2026". */
export function spanWords(span: DateSpan, locale: string): string {
  const write = (date: string, options: Intl.DateTimeFormatOptions) =>
    dateWriter(locale, { ...options, timeZone: 'UTC' }).format(at(date));
  const months = wholeMonths(span);
  if (months === 1) return write(span.from, { month: 'long', year: 'numeric' });
  if (months === 12 && span.from.endsWith('-01-01')) return span.from.slice(0, 4);
  const full: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', year: 'numeric' };
  if (span.from === span.to) return write(span.from, full);
  return dateWriter(locale, { ...full, timeZone: 'UTC' }).formatRange(at(span.from), at(span.to));
}
