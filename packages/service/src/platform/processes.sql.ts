import { randomUUID } from 'node:crypto';
import { hostname } from 'node:os';
import type { ShownProcess } from '@underbell/core/operations';
import type { App } from './app.ts';
import { perInstance } from './perInstance.ts';
import { querySql } from './records/index.ts';
import type { ConnectionLimits } from './settings.ts';

// Moments by the clock of the database, which all processes share.

const ownRow = perInstance(() => ({ id: randomUUID() }));
const startedAt = new Date();
/** A process that has said nothing for so long is taken for dead. */
const silentMs = 15_000;

/** Connections beside those that settings limit: the one that hears of changes. */
const alwaysOpen = 1;

export const mostConnections = (limits: ConnectionLimits): number =>
  Object.values(limits).reduce((sum: number, one: number) => sum + one, alwaysOpen);

/** A process says that it lives, and how its clock stands. */
export async function writeHeartbeat(app: App): Promise<void> {
  const { role, connections } = app.settings;
  await querySql(
    app,
    `INSERT INTO processes (id, host, process, role, is_worker, connections, clock_off_ms, started_at, seen_at)
     VALUES ($id, $host, $process, $role, $isWorker, $connections, $offMs, $startedAt, clock_timestamp())
     ON CONFLICT (id) DO UPDATE SET seen_at = clock_timestamp(), clock_off_ms = $offMs, is_worker = $isWorker`,
    {
      id: ownRow(app).id,
      host: hostname(),
      process: process.pid,
      role,
      isWorker: app.checks.has('queue'),
      connections: mostConnections(connections),
      offMs: app.clock.offMs,
      startedAt,
    },
  );
}

/** A process that ends by itself is not waited for. */
export async function endHeartbeat(app: App): Promise<void> {
  await querySql(app, 'DELETE FROM processes WHERE id = $id', ownRow(app));
}

/** Reads the clock of the database. */
export const readClock = (app: App): Promise<void> =>
  app.clock.read(async () => {
    const text = 'SELECT extract(epoch FROM clock_timestamp())::float8 * 1000 AS now';
    return (await app.asking.query<{ now: number }>(text)).rows[0]!.now;
  });

/** How many workers run, and when one was last heard of; nothing where there was none. */
export async function runningWorkers(app: App): Promise<{ readonly running: number; readonly seenAt: Date | null }> {
  const [row] = await querySql<{ running: string; seen: Date | null }>(
    app,
    `SELECT count(*) FILTER (WHERE seen_at > clock_timestamp() - $ms * interval '1 ms') AS running, max(seen_at) AS seen
     FROM processes WHERE is_worker`,
    { ms: silentMs },
  );
  return { running: Number(row!.running), seenAt: row!.seen };
}

export const listProcesses = (app: App): Promise<ShownProcess<Date>[]> =>
  querySql<ShownProcess<Date>>(
    app,
    `SELECT id, host, process, role, connections, clock_off_ms::float8 AS "clockOffMs", started_at AS "startedAt", seen_at AS "seenAt",
       seen_at > clock_timestamp() - $ms * interval '1 ms' AS "isRunning"
     FROM processes ORDER BY started_at, id`,
    { ms: silentMs },
  );

/** How many connections the server gives to everybody but its administrators. */
export async function connectionsGiven(app: App): Promise<number> {
  const [row] = await querySql<{ most: number }>(
    app,
    `SELECT (current_setting('max_connections')::integer - current_setting('superuser_reserved_connections')::integer) AS most`,
  );
  return row!.most;
}
