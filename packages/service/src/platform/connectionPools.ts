import { acquireMs, connectionTo, openPool, type Pool } from './pool.ts';
import { lowerPriority } from './priority.ts';
import type { ConnectionLimits, Settings } from './settings.ts';

/** Connections for dataset rows. Readers and planned work never wait for each other's. */
export interface ConnectionPools {
  /** People who are looking. */
  readonly readers: Pool;
  /** Rows that somebody fetches as a file, as slowly as they like. */
  readonly downloads: Pool;
  /** Scheduled and bulk work. */
  readonly planned: Pool;
}

/**
 * How long one statement of a lane may take, and how long somebody waits for one of its connections; milliseconds, of a live
 * source as of our own rows. Planned work takes its turn behind loads that take minutes.
 */
export const laneBounds: Readonly<Record<PoolName, { readonly statementMs: number; readonly acquireMs: number }>> = {
  readers: { statementMs: 30_000, acquireMs: 30_000 },
  downloads: { statementMs: 0, acquireMs: 60_000 },
  planned: { statementMs: 0, acquireMs: 600_000 },
};

export type PoolName = keyof ConnectionPools;

/**
 * Opens both lanes; a query of a reader may take 30 s, planned work is not bounded. What planned work groups for all
 * recipients at once is hashed in memory, where the usual 4 MB would have it sorted on disk. On the database's own machine
 * its processes give way to those of readers.
 */
export function openPools(
  settings: Pick<Settings, 'databaseUrl' | 'priority' | 'transactionIdleSeconds'> & {
    readonly connections: Pick<ConnectionLimits, PoolName>;
  },
): ConnectionPools {
  const { priority, connections } = settings;
  const open = (name: PoolName, parameters: Readonly<Record<string, string | number>> = {}) =>
    openPool({
      ...connectionTo(settings, { name, parameters }),
      max: connections[name],
      statement_timeout: laneBounds[name].statementMs,
      connectionTimeoutMillis: laneBounds[name].acquireMs,
    });
  const planned = open('planned', { work_mem: '32MB', max_parallel_workers_per_gather: 0 });
  if (priority !== 'normal') planned.on('connect', lowerPriority);
  return { readers: open('readers'), downloads: open('downloads'), planned };
}

/** Connections for what every request asks first: whose session it is. They wait behind nobody's rows. */
export function openAsking(settings: Settings): Pool {
  return openPool({
    ...connectionTo(settings, { name: 'asking' }),
    max: settings.connections.sessions,
    statement_timeout: 30_000,
    connectionTimeoutMillis: acquireMs,
  });
}

export async function closeLanes(lanes: ConnectionPools): Promise<void> {
  await Promise.all([lanes.readers.end(), lanes.downloads.end(), lanes.planned.end()]);
}
