import { gzipSync } from 'node:zlib';
import { LRUCache } from 'lru-cache';
import type { PersonViewer } from '@underbell/core/access';
import type { MeterEntry } from '../usage/index.ts';
import { perInstance } from '../platform/index.ts';

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

/** An answer that was just made, with what its view counts as. */
export interface JustMade {
  readonly tag: string;
  readonly page: Packed;
  readonly of: Pick<MeterEntry, 'report' | 'board' | 'placement' | 'person'>;
  readonly figures: number;
}

/** Who asks, for what is kept of their answers: by the word of a chat somebody may see less than by their own. */
export const userCacheKey = ({ id, cameBy }: PersonViewer): string =>
  cameBy === undefined ? `person ${id}` : `person ${id} by ${cameBy}`;

/** For so long an answer is given to the same asker again without deciding anew; rights by the clock end that much later. */
const justMs = 900;

/** What is kept of the answers of one process; a fourth of what its answers of queries may take. */
interface Kept {
  /** Figures by everything that they are made of: equal for all viewers with equal filters. */
  readonly results: LRUCache<string, string>;
  /** Whole answers by viewer and by everything that they are made of. */
  readonly answers: LRUCache<string, Packed>;
  /** The same for a moment, by who asks for what at which version of the records. */
  readonly recent: LRUCache<string, JustMade>;
}

/** The answers that this process keeps, bounded in bytes. */
export const keptAnswers = perInstance((app): Kept => {
  const maxSize = Math.max(1, Math.floor(app.settings.cacheBytes / 8));
  return {
    results: new LRUCache({ maxSize, sizeCalculation: (text) => text.length * 2 + 200 }),
    answers: new LRUCache({
      maxSize,
      sizeCalculation: ({ plain, gzip }) => plain.length + (gzip?.length ?? 0) + 300,
    }),
    recent: new LRUCache({ max: app.settings.cacheBytes < 1_000_000 ? 1 : 2_000, ttl: justMs }),
  };
});
