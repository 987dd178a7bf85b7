import { Batch, perInstance, type App } from '../platform/index.ts';
import { meterRows, type MeterRow } from './models.ts';

/** What one view, refresh or delivery has cost. */
export interface MeterEntry {
  readonly kind: 'view' | 'refresh' | 'delivery';
  readonly lane: 'readers' | 'planned';
  readonly report?: string;
  readonly burst?: string;
  readonly placement?: string;
  readonly board?: string;
  readonly dataset?: string;
  /** Mail address of who looked or sent; a program by its name. */
  readonly person?: string;
  /** Of a delivered file. */
  readonly format?: string;
  readonly isLive?: boolean;
  /** Rows that databases answered. */
  readonly rows?: number;
  /** Milliseconds. */
  readonly queryMs?: number;
  readonly renderMs?: number;
  /** Of this service, computing rather than waiting. */
  readonly cpuMs?: number;
  readonly bytes?: number;
  readonly hits?: number;
  readonly misses?: number;
}

/** What costs nothing. */
const free = { isLive: false, queryMs: 0, renderMs: 0, cpuMs: 0, bytes: 0, hits: 0, misses: 0 };

const batchOf = perInstance(
  (app) =>
    new Batch<Partial<MeterRow>>(app, 'the meter', async (entries) => {
      await meterRows(app).bulkCreate([...entries]);
    }),
);

/** Writes down what something cost, a second later and many at once, so that nobody waits for it. */
export function meter(app: App, entry: MeterEntry): void {
  const { rows: rowCount = 0, ...rest } = entry;
  // Rows that are written at once say the same columns.
  batchOf(app).add({ ...free, at: new Date(app.now()), ...rest, rowCount });
}
