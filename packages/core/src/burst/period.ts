import { dateWriter } from '../format/index.ts';
import { isDate } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import type { BurstDefinition } from './definition.ts';

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
