import { AsyncLocalStorage } from 'node:async_hooks';
import { performance } from 'node:perf_hooks';

/** What one piece of work has cost so far. */
export interface Usage {
  /** Rows that databases answered. */
  rows: number;
  /** Time that was waited for databases, all queries together; milliseconds. */
  queryMs: number;
  /** Questions answered from the process's cache, and those that were not. */
  hits: number;
  misses: number;
  /** A live source was asked. */
  isLive: boolean;
}

const running = new AsyncLocalStorage<Usage>();

/** Counts what a piece of work costs, however deep it asks. */
export async function trackUsage<T>(run: (tally: Usage) => Promise<T>): Promise<T> {
  const tally: Usage = { rows: 0, queryMs: 0, hits: 0, misses: 0, isLive: false };
  return running.run(tally, () => run(tally));
}

/** Adds to the work that is going on; nothing where none is counted. */
export function tell(add: Partial<Usage>): void {
  const tally = running.getStore();
  if (!tally) return;
  tally.rows += add.rows ?? 0;
  tally.queryMs += add.queryMs ?? 0;
  tally.hits += add.hits ?? 0;
  tally.misses += add.misses ?? 0;
  tally.isLive ||= add.isLive ?? false;
}

/**
 * How long this thread has been computing rather than waiting, since it began; milliseconds. Between two looks, what
 * others asked of it meanwhile counts too.
 */
export const busyMs = (): number => performance.eventLoopUtilization().active;
