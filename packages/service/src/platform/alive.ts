import { randomUUID } from 'node:crypto';
import { hostname } from 'node:os';
import { QueryTypes } from 'sequelize';
import type { App } from './app.ts';

const id = randomUUID();
const startedAt = new Date();
/** A worker that has said nothing for so long is taken for dead. */
const silentMs = 15_000;

/** A worker says that it lives. */
export async function sayAlive(app: App): Promise<void> {
  await app.records.query(
    `INSERT INTO workers (id, host, process, started_at, seen_at) VALUES ($id, $host, $process, $startedAt, clock_timestamp())
     ON CONFLICT (id) DO UPDATE SET seen_at = clock_timestamp()`,
    { bind: { id, host: hostname(), process: process.pid, startedAt } },
  );
}

/** How many workers live, and when one was last heard of; nothing where there was none. */
export async function livingWorkers(app: App): Promise<{ readonly alive: number; readonly seenAt: Date | null }> {
  const [row] = await app.records.query<{ alive: string; seen: Date | null }>(
    `SELECT count(*) FILTER (WHERE seen_at > clock_timestamp() - $ms * interval '1 ms') AS alive, max(seen_at) AS seen
     FROM workers`,
    { bind: { ms: silentMs }, type: QueryTypes.SELECT },
  );
  return { alive: Number(row!.alive), seenAt: row!.seen };
}
