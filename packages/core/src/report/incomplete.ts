import type { DateStep } from '../dataset/index.ts';
import type { Cell } from '../filter/index.ts';
import { spanFrom } from './span.ts';

const dayMs = 86_400_000;
/** Days from one to the other. */
const daysBetween = (from: string, to: string) => (Date.parse(to) - Date.parse(from)) / dayMs;

/** So many days may be missing at an end without a word: a month that begins on a weekend. */
const slackDays: Readonly<Record<DateStep, number>> = { day: 0, week: 0, month: 2, quarter: 4, year: 7 };

/** A period, and the first and last day that rows of it have; days as `YYYY-MM-DD`. */
interface Period {
  readonly start: string;
  /** Days at its beginning without rows. */
  readonly before: number;
  /** Days at its end without rows. */
  readonly after: number;
  readonly days: number;
}

function periodOf([start, first, last]: readonly Cell[], step: DateStep): Period[] {
  if (typeof start !== 'string' || typeof first !== 'string' || typeof last !== 'string') return [];
  const { to } = spanFrom(start, step);
  const days = daysBetween(start, to) + 1;
  return [{ start, before: daysBetween(start, first), after: daysBetween(last, to), days }];
}

/**
 * The first and the last period, where rows fill them less far than all others: data that begin in the middle of a month, a
 * week that is not over. Where rows are so few that other periods are not full either, nothing can be told.
 *
 * @param rows - of each period its first day, and the first and last day of its rows
 * @returns their first days
 */
export function incompletePeriods(step: DateStep, rows: readonly (readonly Cell[])[]): string[] {
  const periods = rows.flatMap((row) => periodOf(row, step)).sort((a, b) => (a.start < b.start ? -1 : 1));
  const [first, last] = [periods[0], periods.at(-1)];
  if (first === undefined || last === undefined || first === last) return [];
  const isShort = (gap: number, others: readonly number[], { days }: Period) => {
    const usual = Math.max(...others);
    return usual <= days / 3 && gap > Math.max(usual, slackDays[step]);
  };
  const befores = periods.slice(1).map((one) => one.before);
  const afters = periods.slice(0, -1).map((one) => one.after);
  return [
    ...(isShort(first.before, befores, first) ? [first.start] : []),
    ...(isShort(last.after, afters, last) ? [last.start] : []),
  ];
}
