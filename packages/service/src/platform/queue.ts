import type { App } from './app.ts';
import { claim, postpone, renew, finish, type Job } from './queue.sql.ts';
import { isConnectionLost, retry } from './retry.ts';

/** Does the work. `isMine` turns false when the lease is lost; work must then stop without a further effect. */
export type JobHandler = (app: App, job: Job, isMine: () => boolean) => Promise<void>;

const heartbeatMs = 2_000;
/** So often is asked for jobs that were put off, besides whenever a job is told of. */
const pollMs = 400;
/** A job that brings down so many workers is given up. */
const maxDeaths = 5;
/** So often is a job tried that asks to be tried again. */
const maxTries = 6;
/** How long to leave a database alone that went away. */
const awayMs = 1_000;

/** Thrown by a handler whose work should be tried again after a while. */
export class TryLater extends Error {
  override readonly name = 'TryLater';
  /** Whether it is tried again however often that was: what it waits for is none of its own. */
  readonly isPatient: boolean;
  constructor(
    readonly delayMs: number,
    options?: ErrorOptions & { readonly isPatient?: boolean },
  ) {
    super('to be tried again later', options);
    this.isPatient = options?.isPatient ?? false;
  }
}

export type Handlers = Readonly<Record<string, JobHandler>>;

/** Claims jobs one after the other until it is stopped; each group of kinds has a line of its own. */
export class Worker {
  readonly #app: App;
  readonly #lines: Line[];
  readonly #clocks: { timer?: NodeJS.Timeout; running?: Promise<void> }[] = [];
  #isStopped = false;
  #unsubscribe: (() => void) | undefined;

  constructor(app: App, ...groups: readonly Handlers[]) {
    this.#app = app;
    this.#lines = groups.map((handlers) => new Line(app, handlers));
  }

  start(): void {
    this.#unsubscribe = this.#app.changes.subscribeJobs(() => this.#lines.forEach((line) => line.wake()));
    this.#lines.forEach((line) => line.start());
  }

  /**
   * Does some things again and again, never twice at once. One that fails is logged and tried again, and holds none of the
   * others up.
   */
  every(ms: number, ...works: readonly (() => Promise<void>)[]): void {
    for (const work of works) this.#repeat(ms, work);
  }

  #repeat(ms: number, work: () => Promise<void>): void {
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
    this.#unsubscribe?.();
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
  /** Whether something came while it was at work or asking. */
  #isCalled = false;

  constructor(app: App, handlers: Handlers) {
    this.#app = app;
    this.#handlers = handlers;
  }

  start(): void {
    this.#loop = this.#run();
  }

  /** There may be a job for it. */
  wake(): void {
    this.#isCalled = true;
    this.#wake?.();
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    this.#wake?.();
    await this.#loop;
  }

  async #run(): Promise<void> {
    while (!this.#stopped) {
      try {
        this.#isCalled = false;
        const job = await claim(this.#app, Object.keys(this.#handlers));
        if (job) await this.#work(job);
        else await this.#rest();
      } catch (error) {
        this.#app.log.error({ err: error }, 'the queue could not be asked');
        this.#isCalled = false;
        await this.#rest();
      }
    }
  }

  #rest(): Promise<void> {
    if (this.#isCalled) return Promise.resolve();
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
    if (!handler || job.deaths >= maxDeaths) {
      const why = handler ? `given up after ${maxDeaths} workers died of it` : `no handler for ${job.kind}`;
      return finish(this.#app, job, 'failed', why);
    }
    let isHeld = true;
    let wasTold = false;
    const beat = setInterval(() => {
      renew(this.#app, job).then(
        (held) => (isHeld = isHeld && held),
        (error: unknown) => this.#app.log.warn({ err: error }, 'a lease could not be renewed'),
      );
    }, heartbeatMs);
    const isMine = () => {
      const is = isHeld && !this.#stopped;
      wasTold ||= !is;
      return is;
    };
    try {
      await handler(this.#app, job, isMine);
      // A handler that left because of a stop has not finished: it is given back, and another worker goes on at once.
      if (wasTold && isHeld) await postpone(this.#app, job, 0, true);
      else await retry(() => finish(this.#app, job, 'done', null));
    } catch (error) {
      await this.#afterFailure(job, error, wasTold && isHeld);
    } finally {
      clearInterval(beat);
    }
  }

  async #afterFailure(job: Job, error: unknown, isGivenBack: boolean): Promise<void> {
    const { app, lost } = { app: this.#app, lost: isConnectionLost(error) };
    if (isGivenBack) return retry(() => postpone(app, job, 0, true));
    if (lost || (error instanceof TryLater && (error.isPatient || job.attempts < maxTries))) {
      const delayMs = error instanceof TryLater ? error.delayMs : awayMs;
      app.log.info({ err: error, job: job.id, kind: job.kind }, 'a job waits for its next try');
      return retry(() => postpone(app, job, delayMs, lost || (error as TryLater).isPatient));
    }
    app.log.error({ err: error, job: job.id, kind: job.kind }, 'a job failed');
    await retry(() => finish(app, job, 'failed', error instanceof Error ? error.message : String(error)));
  }
}
