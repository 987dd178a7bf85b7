import { dateWriter } from '../format/index.ts';
import { isDate } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import { daysLater, nextInstants } from '../schedule/index.ts';
import type { BurstDefinition, BurstSchedule } from './definition.ts';

/** The stretch of time that a run is about; it names the occurrence, so that nobody gets the same one twice. */
export interface Period {
  /** `2026-10`, `2026-10-01`, or `once` for a burst without periods. */
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
  const day = dateWriter('en-CA', { timeZone: start.timeZone, dateStyle: 'short' }).format(at);
  const [year, month, date] = day.split('-').map(Number) as [number, number, number];
  const back = start.period === 'this' ? 0 : 1;
  const first = period.unit === 'month' ? Date.UTC(year, month - 1 - back, 1) : Date.UTC(year, month - 1, date - back);
  return new Date(first).toISOString().slice(0, period.unit === 'month' ? 7 : 10);
}

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

/**
 * Reads a period as a burst counts them.
 *
 * @param text - `2026-10` for months, `2026-10-01` for days; nothing for a burst without periods
 * @throws {Refusal} `INPUT_INVALID`
 */
export function readPeriod(definition: BurstDefinition, text: string | undefined, locale = 'en-GB'): Period {
  const { period } = definition;
  const refuse = (message: string, hint: string) =>
    new Refusal('INPUT_INVALID', message, { pointer: 'period', ...(text ? { word: text } : {}), hint });
  if (period === undefined) {
    if (text === undefined) return { name: 'once', words: 'once' };
    throw refuse(`\`${definition.name}\` has no periods`, 'leave the period out');
  }
  const example = period.unit === 'month' ? '2026-10' : '2026-10-01';
  if (text === undefined)
    throw refuse(`\`${definition.name}\` needs a period`, `give a ${period.unit}, for example ${example}`);
  const value = period.unit === 'month' ? `${text}-01` : text;
  const fits = period.unit === 'month' ? /^\d{4}-\d{2}$/.test(text) : true;
  if (!fits || !isDate(value)) throw refuse(`\`${text}\` is not a ${period.unit}`, `write it like ${example}`);
  const look: Intl.DateTimeFormatOptions =
    period.unit === 'month' ? { month: 'long', year: 'numeric' } : { dateStyle: 'long' };
  const words = dateWriter(locale, { ...look, timeZone: 'UTC' }).format(new Date(`${value}T00:00:00Z`));
  return { name: text, words, value };
}
