import { dateWriter, formatInstant } from '../format/index.ts';
import { isRefusal, Refusal } from '../refusal/index.ts';
import { daysLater, nextInstants } from '../schedule/index.ts';
import { readSpan, spanName, spanWords, startOf, stepBy, type SpanUnit } from '../report/index.ts';
import type { BurstDefinition, BurstSchedule } from './definition.ts';

/** The stretch of time that a run is about; it names the occurrence, so that nobody gets the same one twice. */
export interface Period {
  /** `2026`, `2026-Q4`, `2026-10`, `2026-W44`, `2026-10-26`; the instant of a run that is its own; `once` without periods. */
  readonly name: string;
  /** In words, for subjects and pages. */
  readonly words: string;
  /** The first day, as a report's date parameter takes it. */
  readonly value?: string;
}

/** When a run was started, as file names and letters say it. */
export interface RunStart {
  /** `YYYY-MM-DD` */
  readonly day: string;
  /** `HH:MM`; in file names `HH-MM`. */
  readonly time: string;
}

/** @param at - milliseconds since 1970-01-01T00:00:00Z */
export function runStart(at: number, timeZone: string): RunStart {
  const day = dateWriter('en-CA', { timeZone, dateStyle: 'short' }).format(at);
  return { day, time: dateWriter('en-GB', { timeZone, hour: '2-digit', minute: '2-digit' }).format(at) };
}

/**
 * The period that a scheduled run is about: the one before the day on which it runs, or the one that the day lies in.
 *
 * @param at - milliseconds since 1970-01-01T00:00:00Z
 * @param start - where the day is looked at, and which period it means; the schedule's when left out
 * @returns as `readPeriod` takes it; nothing for a burst without periods
 */
export function periodAt(
  definition: BurstDefinition,
  at: number,
  start: { readonly timeZone: string; readonly period?: 'last' | 'this' } | undefined = definition.schedule,
): string | undefined {
  const { period } = definition;
  if (!period || !start) return undefined;
  if (period.unit === 'run') return runName(at);
  const day = dateWriter('en-CA', { timeZone: start.timeZone, dateStyle: 'short' }).format(at);
  const first = stepBy(startOf(day, period.unit), period.unit, start.period === 'this' ? 0 : -1);
  return spanName(first, period.unit);
}

/** A run that is its own, by its start: ISO 8601 basic format, UTC, whole seconds. */
const runName = (at: number): string => `${new Date(at).toISOString().slice(0, 19).replace(/[-:]/g, '')}Z`;
const runNamePattern = /^(\d{4})(\d{2})(\d{2})T(\d{2})(\d{2})(\d{2})Z$/;

const dayMs = 86_400_000;
/** Holidays in a row are looked at this far. */
const mostDaysOff = 60;
/** So many instants more are looked at than asked for, for those that fall on days without a run. */
const spare = 32;
const mostTries = 60;
const none: ReadonlySet<string> = new Set();

/**
 * When a scheduled burst runs next, in order; days that are excepted are left out. On a holiday it does not run either, or
 * runs on the next day that is none, at the same time.
 *
 * @param after - exclusive lower bound, milliseconds since 1970-01-01T00:00:00Z
 * @param holidays - days as `YYYY-MM-DD`
 */
export function nextRuns(
  schedule: BurstSchedule,
  after: number,
  count = 1,
  holidays: ReadonlySet<string> = none,
): number[] {
  const { timeZone, onHoliday = 'skip' } = schedule;
  const excepted = new Set(schedule.except ?? []);
  const writer = dateWriter('en-CA', { timeZone, dateStyle: 'short' });
  const isOff = (day: string) => excepted.has(day) || holidays.has(day);
  const settle = (at: number): number | undefined => {
    const day = writer.format(at);
    if (!isOff(day)) return at;
    if (excepted.has(day) || onHoliday === 'skip') return undefined;
    for (let days = 1; days <= mostDaysOff; days++) {
      const later = daysLater(at, days, timeZone);
      if (!isOff(writer.format(later))) return later;
    }
    return undefined;
  };
  // One that was due on a holiday before may be moved past the bound.
  let from = after;
  if (onHoliday === 'next')
    for (let days = 0; days < mostDaysOff; days++) {
      from = after - (days + 1) * dayMs;
      if (!holidays.has(writer.format(from)) && !holidays.has(writer.format(from + dayMs))) break;
    }
  const found = new Set<number>();
  /** Runs that stay on their day; one that is moved to such a day joins them. */
  const own = new Set<number>();
  const taken = new Set<string>();
  const more = excepted.size + holidays.size === 0 ? 0 : spare;
  for (let tries = 0; found.size < count && tries < mostTries; tries++) {
    const next = nextInstants(schedule, from, count - found.size + more);
    if (next.length === 0) break;
    for (const at of next) {
      const settled = settle(at);
      if (settled === at) {
        own.add(at);
        taken.add(writer.format(at));
      }
      if (settled !== undefined && settled > after) found.add(settled);
    }
    from = next.at(-1)!;
  }
  const joins = (at: number) => !own.has(at) && taken.has(writer.format(at));
  return [...found]
    .filter((at) => !joins(at))
    .sort((a, b) => a - b)
    .slice(0, count);
}

/** A run that is its own, or a burst without periods. */
const unitOf = (name: string): SpanUnit | 'run' | 'once' | undefined => {
  if (name === 'once') return 'once';
  if (runNamePattern.test(name)) return 'run';
  return (Object.keys(examples) as SpanUnit[]).find(
    (unit) => examples[unit].replace(/\d/g, '0') === name.replace(/\d/g, '0'),
  );
};

/**
 * The occurrence that one is set beside: the latest of its kind before it, or itself where there is none.
 *
 * @param names - of the occurrences that there were
 */
export function predecessorOf(name: string, names: readonly string[]): string | undefined {
  const earlier = names.filter((one) => one < name && unitOf(one) === unitOf(name)).sort();
  return earlier.at(-1) ?? names.find((one) => one === name);
}

const examples: Readonly<Record<SpanUnit, string>> = {
  day: '2026-10-26',
  week: '2026-W44',
  month: '2026-10',
  quarter: '2026-Q4',
  year: '2026',
};

/** A period of a kind, for looking at a burst that no run was asked for. */
export const samplePeriod = ({ period }: Pick<BurstDefinition, 'period'>): string | undefined =>
  period === undefined ? undefined : period.unit === 'run' ? '20261026T060000Z' : examples[period.unit];

/** From so many days on, what they have in common is no chance. */
const tellingDays = 3;

/**
 * Checks that a parameter of one day, which a burst sets to the first day of each period, can name such a period: every day
 * of its column is the first of one, and periods are no shorter than what the column tells apart.
 *
 * @param days - that occur in the column, as `YYYY-MM-DD`
 * @throws {Refusal} `BURST_INVALID`
 */
export function checkPeriodDays(unit: SpanUnit, parameter: string, days: readonly string[]): void {
  const isAll = (one: SpanUnit) => days.every((day) => startOf(day, one) === day);
  const longer = (['year', 'quarter', 'month', 'week'] as const).find(isAll);
  const isTooShort = unit === 'day' && days.length >= tellingDays && longer !== undefined;
  if (days.length === 0 || (isAll(unit) && !isTooShort)) return;
  const found = days.length >= tellingDays ? longer : undefined;
  throw new Refusal(
    'BURST_INVALID',
    found === undefined || found === unit
      ? `The burst sets “${parameter}” to the first day of a ${unit}, but its column also has other days, such as ${days.find((day) => startOf(day, unit) !== day)!}: a copy would hold the rows of one day.`
      : `The burst is about a ${unit}, but “${parameter}” only has the first day of each ${found}.`,
    {
      pointer: '/period/unit',
      word: unit,
      ...(found === undefined || found === unit ? {} : { nearest: [found] }),
      hint:
        found === undefined || found === unit
          ? 'Let the parameter of the report be a period (“period”: true), or choose another unit.'
          : `Set “period.unit” to “${found}”.`,
    },
  );
}

function periodWords(span: { from: string; to: string }, unit: SpanUnit, locale: string): string {
  if (unit === 'quarter') return `${spanName(span.from, 'quarter').slice(5)} ${span.from.slice(0, 4)}`;
  if (unit === 'day')
    return dateWriter(locale, { dateStyle: 'long', timeZone: 'UTC' }).format(new Date(`${span.from}T00:00:00Z`));
  return spanWords(span, locale);
}

/**
 * Reads a period as a burst counts them.
 *
 * @param text - as ISO 8601 writes it: `2026`, `2026-Q4`, `2026-10`, `2026-W44`, `2026-10-26`; nothing for a burst without
 *   periods
 * @param run - when the run starts, for a burst of which every run is its own
 * @throws {Refusal} `INPUT_INVALID`
 */
export function readPeriod(
  definition: BurstDefinition,
  text: string | undefined,
  { locale = 'en-GB', at, timeZone = 'UTC' }: { locale?: string; at?: number; timeZone?: string } = {},
): Period {
  const { period, name: burst } = definition;
  const refuse = (message: string, hint: string) =>
    new Refusal('INPUT_INVALID', message, { pointer: 'period', ...(text ? { word: text } : {}), hint });
  if (period === undefined) {
    if (text === undefined) return { name: 'once', words: 'once' };
    throw refuse(`Burst “${burst}” has no periods.`, 'Leave out the period.');
  }
  if (period.unit === 'run') return readRun(burst, text, { locale, timeZone, ...(at === undefined ? {} : { at }) });
  const { unit } = period;
  const example = examples[unit];
  if (text === undefined) throw refuse(`\`${burst}\` needs a period`, `Specify a ${unit}, example: ${example}.`);
  try {
    const span = readSpan(text, '2000-01-01');
    const name = spanName(startOf(span.from, unit), unit);
    // Written as this kind is written, and no word that moves with the day.
    if (name === text.trim().toUpperCase()) return { name, words: periodWords(span, unit, locale), value: span.from };
  } catch (error) {
    if (!isRefusal(error, 'VALUE_INVALID')) throw error;
  }
  throw refuse(`“${text}” is not a ${unit}.`, `Example: ${example}`);
}

function readRun(
  burst: string,
  text: string | undefined,
  { locale, timeZone, at }: { locale: string; timeZone: string; at?: number },
): Period {
  const name = text ?? (at === undefined ? '' : runName(at));
  const parts = runNamePattern.exec(name)?.slice(1).map(Number) as number[] | undefined;
  const start = parts && Date.UTC(parts[0]!, parts[1]! - 1, parts[2], parts[3], parts[4], parts[5]);
  if (start === undefined || runName(start) !== name)
    throw new Refusal('INPUT_INVALID', `Burst “${burst}” has no periods: each run is its own.`, {
      pointer: 'period',
      ...(text ? { word: text } : {}),
      hint: 'Leave out the period.',
    });
  return { name, words: formatInstant(start, { locale, timeZone }) };
}

/** Whether times of a schedule are about a period that an earlier one is about: nobody gets it twice. */
export function repeatedPeriods(periods: readonly (string | undefined)[]): boolean[] {
  return periods.map((one, i) => one !== undefined && periods.indexOf(one) < i);
}
