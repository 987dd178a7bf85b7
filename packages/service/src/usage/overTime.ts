import { costOthers, type CostsOverTime, type StretchSum } from '@underbell/core/usage';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { sumStretches } from './sums.sql.ts';

/** So many names are told apart; more could not be told by their colours. */
const mostNames = 7;
/** So many stretches can be drawn. */
const mostStretches = 400;
const stretchMs = { hour: 3_600_000, day: 86_400_000, month: 28 * 86_400_000 };

const added = (one: StretchSum | undefined, other: StretchSum): StretchSum => ({
  times: (one?.times ?? 0) + other.times,
  seconds: (one?.seconds ?? 0) + other.seconds,
  bytes: (one?.bytes ?? 0) + other.bytes,
});

/**
 * Costs along time, the dearest names told apart.
 *
 * @throws {Refusal} `INPUT_INVALID` for more stretches than can be drawn
 */
export async function costsOverTime(app: App, wish: Parameters<typeof sumStretches>[1]): Promise<CostsOverTime> {
  const { per, by, from, to } = wish;
  if (to.getTime() - from.getTime() > mostStretches * stretchMs[per])
    throw new Refusal('INPUT_INVALID', `These are more than ${mostStretches} ${per}s.`, {
      pointer: 'per',
      word: per,
      hint: per === 'month' ? 'Request fewer years.' : 'Use longer intervals, or fewer days.',
    });
  const rows = await sumStretches(app, wish);
  const totals = new Map<string, number>();
  for (const { name, seconds } of rows) if (name !== null) totals.set(name, (totals.get(name) ?? 0) + seconds);
  const dearest = [...totals].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0])).map(([name]) => name);
  const told = new Set(dearest.slice(0, mostNames));
  const stretches = new Map<string, Record<string, StretchSum>>();
  for (const { at, name, times, seconds, bytes } of rows) {
    const sums = stretches.get(at) ?? {};
    stretches.set(at, sums);
    if (name === null) continue;
    const under = told.has(name) ? name : costOthers;
    sums[under] = added(sums[under], { times, seconds, bytes });
  }
  return {
    per,
    by,
    names: [...told, ...(dearest.length > mostNames ? [costOthers] : [])],
    stretches: [...stretches].map(([at, sums]) => ({ at, sums })),
  };
}
