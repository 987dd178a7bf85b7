import { dateWriter } from '../format/index.ts';
import { isDate } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import { nextInstants } from '../schedule/index.ts';
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

/**
 * The period that a scheduled run is about: the one before the day on which it runs, or the one that the day lies in.
 *
 * @param at - milliseconds since 1970-01-01T00:00:00Z
 * @returns as `readPeriod` takes it; nothing for a burst without periods
 */
export function periodAt(definition: BurstDefinition, at: number): string | undefined {
  const { period, schedule } = definition;
  if (!period || !schedule) return undefined;
  const day = dateWriter('en-CA', { timeZone: schedule.timeZone, dateStyle: 'short' }).format(at);
  const [year, month, date] = day.split('-').map(Number) as [number, number, number];
  const back = schedule.period === 'this' ? 0 : 1;
  const first = period.unit === 'month' ? Date.UTC(year, month - 1 - back, 1) : Date.UTC(year, month - 1, date - back);
  return new Date(first).toISOString().slice(0, period.unit === 'month' ? 7 : 10);
}

/**
 * When a scheduled burst runs next, in order; days that are excepted are left out.
 *
 * @param after - exclusive lower bound, milliseconds since 1970-01-01T00:00:00Z
 */
export function nextRuns(schedule: BurstSchedule, after: number, count = 1): number[] {
  const excepted = new Set(schedule.except ?? []);
  const day = dateWriter('en-CA', { timeZone: schedule.timeZone, dateStyle: 'short' });
  const found: number[] = [];
  let from = after;
  for (let tries = 0; found.length < count && tries <= excepted.size + 1; tries++) {
    const next = nextInstants(schedule, from, count - found.length + excepted.size);
    if (next.length === 0) break;
    found.push(...next.filter((at) => !excepted.has(day.format(at))).slice(0, count - found.length));
    from = next.at(-1)!;
  }
  return found;
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
