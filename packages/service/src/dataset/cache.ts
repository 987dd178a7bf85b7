import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import type { Cell } from '@underbell/core/filter';
import { tell, perInstance } from '../platform/index.ts';

type Rows = readonly (readonly Cell[])[];

/** How a process's cache did so far. */
export interface CacheCounts {
  readonly hits: number;
  readonly misses: number;
  readonly bytes: number;
  readonly entries: number;
}

/** About what a cell weighs in memory: a number fits its slot, a text has a header. */
function sizeOf(rows: Rows): number {
  let bytes = 200;
  for (const row of rows) {
    bytes += 40;
    for (const cell of row) bytes += typeof cell === 'string' ? 24 + cell.length * 2 : 8;
  }
  return bytes;
}

/**
 * Answers of figures by revision, SQL and values, so that everyone whose effective filter is equal shares them. Bounded
 * in bytes; one query at a time for the same question. A revision never changes, so nothing in here can be stale; what
 * a live source answered is kept for as long as its dataset allows.
 */
export class QueryCache {
  readonly #kept: LRUCache<string, Rows>;
  readonly #underWay = new Map<string, Promise<Rows>>();
  #hits = 0;
  #misses = 0;

  constructor(maxBytes: number) {
    this.#kept = new LRUCache({
      maxSize: Math.max(1, maxBytes),
      maxEntrySize: Math.max(1, Math.floor(maxBytes / 4)),
      sizeCalculation: sizeOf,
    });
  }

  /** @param keepMs - how long an answer holds; for ever when left out, for nobody after those who wait for it when 0 */
  async ask(
    question: { revision: number; text: string; values: readonly unknown[]; keepMs?: number },
    read: () => Promise<Rows>,
  ): Promise<Rows> {
    const { revision, text, values, keepMs } = question;
    const key = createHash('sha256')
      .update(JSON.stringify([revision, text, values]))
      .digest('base64');
    const kept = this.#kept.get(key);
    if (kept) {
      this.#hits++;
      tell({ hits: 1 });
      return kept;
    }
    const underWay = this.#underWay.get(key);
    if (underWay) {
      this.#hits++;
      tell({ hits: 1 });
      return underWay;
    }
    this.#misses++;
    tell({ misses: 1 });
    const reading = read();
    this.#underWay.set(key, reading);
    try {
      const rows = await reading;
      // To the cache, no time at all means for ever.
      if (keepMs !== 0) this.#kept.set(key, rows, keepMs === undefined ? {} : { ttl: keepMs });
      return rows;
    } finally {
      this.#underWay.delete(key);
    }
  }

  get counts(): CacheCounts {
    return { hits: this.#hits, misses: this.#misses, bytes: this.#kept.calculatedSize, entries: this.#kept.size };
  }
}

/** The cache of this process. */
export const queryCache = perInstance((app) => new QueryCache(app.settings.cacheBytes));
