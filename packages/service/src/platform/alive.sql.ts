import { randomUUID } from 'node:crypto';
import { hostname } from 'node:os';
import type { App } from './app.ts';
import { askSql } from './records/index.ts';

// Moments by the clock of the database, which all processes share.

const id = randomUUID();
const startedAt = new Date();
/** A worker that has said nothing for so long is taken for dead. */
const silentMs = 15_000;

/** A worker says that it lives. */
export async function sayAlive(app: App): Promise<void> {
  await askSql(
    app,
    `INSERT INTO workers (id, host, process, started_at, seen_at) VALUES ($id, $host, $process, $startedAt, clock_timestamp())
     ON CONFLICT (id) DO UPDATE SET seen_at = clock_timestamp()`,
    { id, host: hostname(), process: process.pid, startedAt },
  );
}

/** How many workers live, and when one was last heard of; nothing where there was none. */
export async function livingWorkers(app: App): Promise<{ readonly alive: number; readonly seenAt: Date | null }> {
  const [row] = await askSql<{ alive: string; seen: Date | null }>(
    app,
    `SELECT count(*) FILTER (WHERE seen_at > clock_timestamp() - $ms * interval '1 ms') AS alive, max(seen_at) AS seen
     FROM workers`,
    { ms: silentMs },
  );
  return { alive: Number(row!.alive), seenAt: row!.seen };
}
