import { gzipSync } from 'node:zlib';
import { LRUCache } from 'lru-cache';
import type { App } from '../platform/index.ts';

/** An answer as it goes over the wire. */
export interface Packed {
  readonly plain: Buffer;
  /** Compressed; nothing for what is too short to gain by it. */
  readonly gzip?: Buffer;
}

/** Less fits into a packet or two anyway. */
const worthPacking = 1_400;

/** Quick rather than small: it is done while a reader waits, and what is saved by more is less than what it takes. */
export function pack(text: string): Packed {
  const plain = Buffer.from(text);
  return plain.length < worthPacking ? { plain } : { plain, gzip: gzipSync(plain, { level: 3 }) };
}

/** What is kept of the answers of one process; a fourth of what its answers of queries may take. */
interface Kept {
  /** Figures by everything that they are made of: equal for all viewers with equal filters. */
  readonly results: LRUCache<string, string>;
  /** Whole answers by viewer and by everything that they are made of. */
  readonly answers: LRUCache<string, Packed>;
}

const kept = new WeakMap<App, Kept>();

/** The answers that this process keeps, bounded in bytes. */
export function keptAnswers(app: App): Kept {
  const known = kept.get(app);
  if (known) return known;
  const maxSize = Math.max(1, Math.floor(app.settings.cacheBytes / 8));
  const made: Kept = {
    results: new LRUCache({ maxSize, sizeCalculation: (text) => text.length * 2 + 200 }),
    answers: new LRUCache({
      maxSize,
      sizeCalculation: ({ plain, gzip }) => plain.length + (gzip?.length ?? 0) + 300,
    }),
  };
  kept.set(app, made);
  return made;
}
