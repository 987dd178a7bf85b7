import pg from 'pg';
import { Refusal } from '@underbell/core/refusal';

/** How long is waited for a connection, where nothing says otherwise; milliseconds. */
export const acquireMs = 30_000;

/** What the driver says when no connection became free in time. */
const waitedInVain = 'timeout exceeded when trying to connect';

export const databaseBusy = (cause: unknown) =>
  new Refusal(
    'DATABASE_BUSY',
    'the database has no connection free for this just now',
    { hint: 'try again in a moment' },
    { cause },
  );

type Taken = (error: Error | undefined, client: pg.PoolClient | undefined, release: (error?: unknown) => void) => void;

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
