import { setImmediate } from 'node:timers/promises';

/**
 * Works through items in order, so many at once. A failure lets what is going on end and begins nothing more; libraries for
 * this leave it going on behind their back, on files and connections that are gone then.
 *
 * @throws what the first piece of work threw that `isFirst` prefers, or the first at all
 */
export async function mapConcurrent<T>(
  items: Iterable<T> | AsyncIterable<T>,
  width: number,
  work: (item: T) => Promise<void>,
  isFirst: (error: unknown) => boolean = () => true,
): Promise<void> {
  const queue = Symbol.asyncIterator in items ? items[Symbol.asyncIterator]() : items[Symbol.iterator]();
  const failures: unknown[] = [];
  const lane = async (): Promise<void> => {
    while (failures.length === 0) {
      try {
        const next = await queue.next();
        // One that came while another failed is not begun.
        if (next.done || failures.length > 0) return;
        await work(next.value);
      } catch (error) {
        failures.push(error);
      }
    }
  };
  await Promise.all(Array.from({ length: width }, lane));
  if (failures.length > 0) throw failures.find(isFirst) ?? failures[0];
}

/** How long one piece of computing may keep everybody else from their turn; milliseconds. */
const turnMs = 10;

/** Work that computes for long asks between its pieces whether it has had its turn, and then lets others have theirs. */
export function turns(): () => Promise<void> {
  const turn = { since: performance.now() };
  return async () => {
    if (performance.now() - turn.since < turnMs) return;
    await setImmediate();
    turn.since = performance.now();
  };
}

/** Waits for all, also where one fails. @throws what the first of them threw, in their order */
export async function together(...all: readonly Promise<unknown>[]): Promise<void> {
  for (const one of await Promise.allSettled(all)) if (one.status === 'rejected') throw one.reason;
}

/** Does something for each of some things, one after the other; one that fails is told of and holds none of the others up. */
export async function forEachIsolated<T>(
  items: readonly T[],
  work: (item: T) => Promise<void>,
  onFailure: (error: unknown, item: T) => void,
): Promise<void> {
  for (const item of items) {
    try {
      await work(item);
    } catch (error) {
      onFailure(error, item);
    }
  }
}
