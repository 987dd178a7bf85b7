import pg from 'pg';
import { Refusal } from '@underbell/core/refusal';
import type { Settings } from './settings.ts';

/** How long is waited for a connection, where nothing says otherwise; milliseconds. */
export const acquireMs = 30_000;

/** What the driver says when no connection became free in time. */
const waitedInVain = 'timeout exceeded when trying to connect';

export const databaseBusy = (cause: unknown) =>
  new Refusal('DATABASE_BUSY', 'The database has no free connection.', { hint: 'Try again in a moment.' }, { cause });

export const databaseUnreachable = (cause: unknown) =>
  new Refusal('DATABASE_UNREACHABLE', 'The database is not reachable.', { hint: 'Try again in a moment.' }, { cause });

type Taken = (error: Error | undefined, client: pg.PoolClient | undefined, release: (error?: unknown) => void) => void;

/** How a connection says what it is for, in the lists of the server, and what it asks for beside. */
interface ConnectionWish {
  readonly name: string;
  /** Parameters of the server, by name. */
  readonly parameters?: Readonly<Record<string, string | number>>;
}

export const connectionName = (name: string) => `underbell ${name}`;

/** A host that is gone without a word is noticed after so many seconds without an answer, so many times. */
const keepalive = { idle: 10, interval: 5, count: 3 };
/** Locks are waited for longer than somebody who went silent may hold them; seconds. */
const lockGraceSeconds = 10;

/**
 * How every connection to the service's own database is made. A process that stands still within a transaction loses it, with
 * its locks; one whose host is gone loses its connection; nobody waits for a lock for good.
 *
 * @see PostgreSQL, client connection defaults and TCP settings
 */
export function connectionTo(
  { databaseUrl, transactionIdleSeconds: idle }: Pick<Settings, 'databaseUrl' | 'transactionIdleSeconds'>,
  { name, parameters = {} }: ConnectionWish,
) {
  const all = {
    timezone: 'UTC',
    datestyle: 'ISO',
    idle_in_transaction_session_timeout: `${idle}s`,
    lock_timeout: `${idle + lockGraceSeconds}s`,
    tcp_keepalives_idle: keepalive.idle,
    tcp_keepalives_interval: keepalive.interval,
    tcp_keepalives_count: keepalive.count,
    ...parameters,
  };
  return {
    connectionString: databaseUrl,
    application_name: connectionName(name),
    keepAlive: true,
    keepAliveInitialDelayMillis: keepalive.idle * 1_000,
    options: Object.entries(all)
      .map(([parameter, value]) => `-c ${parameter}=${value}`)
      .join(' '),
  };
}

/** Connections of one kind. Who waits for one too long is told so, rather than waiting for good. */
export class Pool extends pg.Pool {
  #isStuck = false;

  /** Whether the last who waited for a connection got none. */
  get isStuck(): boolean {
    return this.#isStuck;
  }

  override connect(): Promise<pg.PoolClient>;
  override connect(taken: Taken): void;
  override connect(taken?: Taken): Promise<pg.PoolClient> | void {
    if (taken === undefined)
      return super.connect().then(
        (client) => {
          this.#isStuck = false;
          return client;
        },
        (error: unknown) => {
          throw this.#refused(error);
        },
      );
    super.connect((error, client, release) => {
      if (!error) this.#isStuck = false;
      taken(error ? (this.#refused(error) as Error) : undefined, client, release);
    });
  }

  #refused(error: unknown): unknown {
    if (!(error instanceof Error) || error.message !== waitedInVain) return error;
    this.#isStuck = true;
    return databaseBusy(error);
  }
}

export function openPool(config: pg.PoolConfig): Pool {
  const pool = new Pool(config);
  // An idle connection that the server closes is replaced at the next use.
  pool.on('error', () => undefined);
  // One that is in use when the server goes away tells whoever waits for its answer; nobody else has to hear.
  pool.on('connect', (client) => client.on('error', () => undefined));
  return pool;
}
