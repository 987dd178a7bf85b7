import Joi from 'joi';
import { checkShape } from '../check/index.ts';
import { dateWriter } from '../format/index.ts';
import { Refusal } from '../refusal/index.ts';

/** How much computing the things of a folder may take. Only planned work is stopped; readers go on looking. */
export interface CostLimit {
  readonly folder: string;
  readonly per: 'day' | 'month';
  /** From so many seconds of queries and of making on, its owners are told, once. */
  readonly warnSeconds?: number;
  /** From so many on, its bursts and refreshes wait for the next day or month. */
  readonly stopSeconds?: number;
}

/** A limit with what was used since it began to count. */
export interface CountedCosts extends CostLimit {
  readonly usedSeconds: number;
}

export type CostState = 'fine' | 'warned' | 'stopped';

const seconds = Joi.number().positive().max(1e9);
const schema = Joi.object({
  folder: Joi.string().max(60).required(),
  per: Joi.string().valid('day', 'month').required(),
  warnSeconds: seconds,
  stopSeconds: seconds,
}).required();

/** @throws {Refusal} `INPUT_INVALID`: no limit at all, or a warning that would come after the stop */
export function readCostLimit(value: unknown): CostLimit {
  const limit = checkShape<CostLimit>(value, schema, { code: 'INPUT_INVALID', what: 'the limit' });
  const { warnSeconds, stopSeconds } = limit;
  if (warnSeconds === undefined && stopSeconds === undefined)
    throw new Refusal('INPUT_INVALID', 'The usage limit has neither a warning nor a limit.', {
      pointer: '/warnSeconds',
      hint: 'Set one of them, or both.',
    });
  if (warnSeconds !== undefined && stopSeconds !== undefined && warnSeconds >= stopSeconds)
    throw new Refusal('INPUT_INVALID', 'The warning must be lower than the limit.', {
      pointer: '/warnSeconds',
      hint: `Set it below ${stopSeconds}.`,
    });
  return limit;
}

export function costState({ usedSeconds, warnSeconds, stopSeconds }: CountedCosts): CostState {
  if (stopSeconds !== undefined && usedSeconds >= stopSeconds) return 'stopped';
  return warnSeconds !== undefined && usedSeconds >= warnSeconds ? 'warned' : 'fine';
}

/**
 * The first day that counts, in the installation's time zone.
 *
 * @param at - milliseconds since 1970-01-01T00:00:00Z
 * @returns `YYYY-MM-DD`
 */
export function startOfCounting(per: CostLimit['per'], at: number, timeZone: string): string {
  const day = dateWriter('en-CA', { timeZone, dateStyle: 'short' }).format(at);
  return per === 'day' ? day : `${day.slice(0, 7)}-01`;
}

/** `used 95 of 120 s of computing today`. */
export function usageText({ usedSeconds, warnSeconds, stopSeconds, per }: CountedCosts): string {
  const most = stopSeconds ?? warnSeconds;
  const when = per === 'day' ? 'today' : 'this month';
  return `used ${Math.round(usedSeconds)} of ${most} s of computing ${when}`;
}
