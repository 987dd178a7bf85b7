import { randomUUID } from 'node:crypto';
import { QueryTypes, type Transaction } from 'sequelize';
import type { App } from './app.ts';

/** A piece of background work, leased to one worker at a time. */
export interface Job {
  readonly id: number;
  readonly kind: string;
  readonly payload: Readonly<Record<string, unknown>>;
  /** Counts from 1; more than one means that an earlier worker died. */
  readonly attempts: number;
  readonly lease: string;
}

/** Does the work. `isMine` turns false when the lease is lost; work must then stop without a further effect. */
export type JobHandler = (app: App, job: Job, isMine: () => boolean) => Promise<void>;

const leaseMs = 8_000;
const heartbeatMs = 2_000;
const pollMs = 400;
const maxAttempts = 5;

/** @param delayMs - not before so long from now */
export async function enqueue(
  app: App,
  kind: string,
  payload: object,
  transaction: Transaction,
  delayMs = 0,
): Promise<void> {
  await app.records.query(
    `INSERT INTO jobs (kind, payload, created_at, not_before)
     VALUES (:kind, :payload, :at, CASE WHEN :delayMs > 0 THEN clock_timestamp() + :delayMs * interval '1 ms' END)`,
    { replacements: { kind, payload: JSON.stringify(payload), at: new Date(app.now()), delayMs }, transaction },
  );
}

/** Lets jobs that wait for a later moment start at once. @param payload - what theirs holds */
export async function hurry(app: App, kind: string, payload: object): Promise<void> {
  await app.records.query(
    `UPDATE jobs SET not_before = NULL WHERE kind = :kind AND state = 'waiting' AND payload @> CAST(:payload AS jsonb)`,
    { replacements: { kind, payload: JSON.stringify(payload) } },
  );
}

/** Thrown by a handler whose work should be tried again after a while. */
export class TryLater extends Error {
  override readonly name = 'TryLater';
  constructor(
    readonly delayMs: number,
    options?: ErrorOptions,
  ) {
    super('to be tried again later', options);
  }
}

async function claim(app: App, kinds: readonly string[]): Promise<Job | undefined> {
  const lease = randomUUID();
  const rows = await app.records.query<Job>(
    `UPDATE jobs SET state = 'leased', lease = :lease, attempts = attempts + 1, lease_until = clock_timestamp() + :ms * interval '1 ms'
     WHERE id = (SELECT id FROM jobs WHERE kind IN (:kinds)
                   AND (state = 'waiting' AND (not_before IS NULL OR not_before <= clock_timestamp())
                     OR (state = 'leased' AND lease_until < clock_timestamp()))
                 ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED)
     RETURNING id, kind, payload, attempts, lease`,
    { replacements: { lease, ms: leaseMs, kinds: [...kinds] }, type: QueryTypes.SELECT },
  );
  return rows[0];
}

async function renew(app: App, job: Job): Promise<boolean> {
  const rows = await app.records.query(
    `UPDATE jobs SET lease_until = clock_timestamp() + :ms * interval '1 ms' WHERE id = :id AND lease = :lease AND state = 'leased' RETURNING id`,
    { replacements: { id: job.id, lease: job.lease, ms: leaseMs }, type: QueryTypes.SELECT },
  );
  return rows.length > 0;
}

async function settle(app: App, job: Job, state: 'done' | 'failed', error: string | null): Promise<void> {
  await app.records.query(
    'UPDATE jobs SET state = :state, error = :error, lease = NULL WHERE id = :id AND lease = :lease',
    {
      replacements: { id: job.id, lease: job.lease, state, error },
    },
  );
}

async function postpone(app: App, job: Job, delayMs: number): Promise<void> {
  await app.records.query(
    `UPDATE jobs SET state = 'waiting', lease = NULL, not_before = clock_timestamp() + :delayMs * interval '1 ms'
     WHERE id = :id AND lease = :lease`,
    { replacements: { id: job.id, lease: job.lease, delayMs } },
  );
}

export type Handlers = Readonly<Record<string, JobHandler>>;

/** Claims jobs one after the other until it is stopped; each group of kinds has a line of its own. */
export class Worker {
  readonly #app: App;
  readonly #lines: Line[];
  readonly #clocks: { timer?: NodeJS.Timeout; running?: Promise<void> }[] = [];
  #isStopped = false;

  constructor(app: App, ...groups: readonly Handlers[]) {
    this.#app = app;
    this.#lines = groups.map((handlers) => new Line(app, handlers));
  }

  start(): void {
    this.#lines.forEach((line) => line.start());
  }

  /** Does something again and again, never twice at once; a failure is logged and tried again. */
  every(ms: number, work: () => Promise<void>): void {
    const clock: { timer?: NodeJS.Timeout; running?: Promise<void> } = {};
    this.#clocks.push(clock);
    const next = () => {
      if (this.#isStopped) return;
      clock.timer = setTimeout(() => {
        clock.running = work()
          .catch((error: unknown) => this.#app.log.error({ err: error }, 'what the clock brings could not be done'))
          .finally(next);
      }, ms);
    };
    next();
  }

  /** Waits for the jobs at hand: handlers see `isMine` turn false and leave at the next safe point. */
  async stop(): Promise<void> {
    this.#isStopped = true;
    for (const { timer } of this.#clocks) clearTimeout(timer);
    await Promise.all(this.#clocks.map((clock) => clock.running));
    await Promise.all(this.#lines.map((line) => line.stop()));
  }
}

class Line {
  readonly #app: App;
  readonly #handlers: Handlers;
  #stopped = false;
  #loop: Promise<void> | undefined;
  #wake: (() => void) | undefined;

  constructor(app: App, handlers: Handlers) {
    this.#app = app;
    this.#handlers = handlers;
  }

  start(): void {
    this.#loop = this.#run();
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    this.#wake?.();
    await this.#loop;
  }

  async #run(): Promise<void> {
    while (!this.#stopped) {
      try {
        const job = await claim(this.#app, Object.keys(this.#handlers));
        if (job) await this.#work(job);
        else await this.#rest();
      } catch (error) {
        this.#app.log.error({ err: error }, 'the queue could not be asked');
        await this.#rest();
      }
    }
  }

  #rest(): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, pollMs);
      this.#wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }

  async #work(job: Job): Promise<void> {
    const handler = this.#handlers[job.kind];
    if (!handler || job.attempts > maxAttempts) {
      const why = handler ? `given up after ${maxAttempts} attempts` : `no handler for ${job.kind}`;
      return settle(this.#app, job, 'failed', why);
    }
    let isHeld = true;
    const beat = setInterval(() => {
      renew(this.#app, job).then(
        (held) => (isHeld = isHeld && held),
        (error: unknown) => this.#app.log.warn({ err: error }, 'a lease could not be renewed'),
      );
    }, heartbeatMs);
    try {
      await handler(this.#app, job, () => isHeld && !this.#stopped);
      // A handler that left because of a stop has not finished: the lease runs out and another worker goes on.
      if (!this.#stopped) await settle(this.#app, job, 'done', null);
    } catch (error) {
      if (error instanceof TryLater && job.attempts < maxAttempts) {
        this.#app.log.info({ err: error.cause, job: job.id, kind: job.kind }, 'a job waits for its next try');
        return postpone(this.#app, job, error.delayMs);
      }
      this.#app.log.error({ err: error, job: job.id, kind: job.kind }, 'a job failed');
      await settle(this.#app, job, 'failed', error instanceof Error ? error.message : String(error));
    } finally {
      clearInterval(beat);
    }
  }
}
