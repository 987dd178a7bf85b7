import type { BurstDefinition } from './definition.ts';
import { periodAt } from './period.ts';
import type { MissedOutcome } from './apiTypes/index.ts';

/** A start that is later than this was missed; milliseconds. */
const missedMs = 60 * 60_000;

/** What becomes of one time at which a burst was to start. */
export interface DueStart {
  /** Milliseconds since 1970-01-01T00:00:00Z. */
  readonly at: number;
  readonly period?: string;
  readonly outcome: 'started' | MissedOutcome;
}

/**
 * Decides about every time that has passed since a burst was last looked at. A missed one is skipped where the schedule says
 * so. All others start, each about its own period; of several about the same rows only the last, which covers the others.
 *
 * @param due - ascending, milliseconds since 1970-01-01T00:00:00Z
 */
export function decideDue(definition: BurstDefinition, due: readonly number[], now: number): DueStart[] {
  const isSkipping = definition.schedule?.missed === 'skip';
  // A run that is its own, or one without a period, is about the rows of its day: that day has passed for all of them.
  const ownPeriod = definition.period !== undefined && definition.period.unit !== 'run';
  const decided: DueStart[] = [];
  const covered = new Set<string>();
  for (const at of due.toReversed()) {
    const period = periodAt(definition, at);
    const about = ownPeriod ? (period ?? '') : '';
    const isMissed = now - at > missedMs;
    const outcome =
      isMissed && isSkipping ? 'skipped' : covered.has(about) ? 'covered' : isMissed ? 'started late' : 'started';
    if (outcome !== 'skipped') covered.add(about);
    decided.push({ at, outcome, ...(period === undefined ? {} : { period }) });
  }
  return decided.reverse();
}
