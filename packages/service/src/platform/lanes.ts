import pg from 'pg';
import { giveWayBehind, type Priority } from './priority.ts';

/** Connections for dataset rows. Readers and planned work never wait for each other's. */
export interface Lanes {
  /** People who are looking. */
  readonly readers: pg.Pool;
  /** Rows that somebody fetches as a file, as slowly as they like. */
  readonly downloads: pg.Pool;
  /** Scheduled and bulk work. */
  readonly planned: pg.Pool;
}

/** How many connections each lane has, and how long one statement may take; of a live source as of our own rows. */
export const laneBounds: Readonly<Record<Lane, { readonly connections: number; readonly statementMs: number }>> = {
  readers: { connections: 12, statementMs: 30_000 },
  downloads: { connections: 6, statementMs: 0 },
  planned: { connections: 4, statementMs: 0 },
};

export type Lane = keyof Lanes;

export const nameOfLane = (lane: Lane) => `underbell ${lane}`;

/**
 * Opens both lanes; a query of a reader may take 30 s, planned work is not bounded. What planned work groups for all
 * recipients at once is hashed in memory, where the usual 4 MB would have it sorted on disk. On the database's own machine
 * its processes give way to those of readers.
 */
export function openLanes(databaseUrl: string, priority: Priority): Lanes {
  const open = (name: Lane, more = '') => {
    const { connections: max, statementMs: timeoutMs } = laneBounds[name];
    const pool = new pg.Pool({
      connectionString: databaseUrl,
      max,
      application_name: nameOfLane(name),
      statement_timeout: timeoutMs,
      options: `-c timezone=UTC -c datestyle=ISO${more}`,
    });
    // An idle connection that the server closes is replaced at the next use.
    pool.on('error', () => undefined);
    // One that is in use when the server goes away tells whoever waits for its answer; nobody else has to hear.
    pool.on('connect', (client) => client.on('error', () => undefined));
    return pool;
  };
  const planned = open('planned', ' -c work_mem=32MB -c max_parallel_workers_per_gather=0');
  if (priority !== 'usual') planned.on('connect', giveWayBehind);
  return { readers: open('readers'), downloads: open('downloads'), planned };
}

/** Connections for what every request asks first: whose session it is. They wait behind nobody's rows. */
export function openAsking(databaseUrl: string): pg.Pool {
  const pool = new pg.Pool({
    connectionString: databaseUrl,
    max: 6,
    application_name: 'underbell asking',
    statement_timeout: 30_000,
    options: '-c timezone=UTC',
  });
  pool.on('error', () => undefined);
  pool.on('connect', (client) => client.on('error', () => undefined));
  return pool;
}

export async function closeLanes(lanes: Lanes): Promise<void> {
  await Promise.all([lanes.readers.end(), lanes.downloads.end(), lanes.planned.end()]);
}
