import type { App } from './app.ts';
import { claim, finish, leaseMs, postpone, renew, type Job } from './queue.sql.ts';
import { isEventJob } from './events.ts';
import { isCollision, isConnectionLost, retry } from './retry.ts';

/** Does the work. `isMine` turns false when the lease is lost; work must then stop without a further effect. */
export type JobHandler = (app: App, job: Job, isMine: () => boolean) => Promise<void>;

const heartbeatMs = 2_000;
/** So often is asked for jobs that were put off, besides whenever a job is told of. */
const pollMs = 400;
/** A job that brings down so many workers is given up. */
const maxDeaths = 5;
/** So often is a job tried that asks to be tried again. */
const maxTries = 6;
/** A line that has not asked for so long, and is at no job, does not go on. */
const silentMs = 60_000;
/** How long to wait before telling a capability once more of an event that it could not deal with: about a day in all. */
const hearerPausesMs = [1, 10, 60, 300, 1_800, 7_200, 21_600, 43_200].map((seconds) => seconds * 1_000);
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

/** Why a job failed: of one that asks to be tried again, why it does. */
function wordsOf(error: unknown): string {
  const cause = error instanceof TryLater && error.cause !== undefined ? error.cause : error;
  return cause instanceof Error ? cause.message : String(cause);
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
    this.#app.checks.set('queue', () => this.#lines.every((line) => line.isAlive));
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
        // Whose clock is wrong may be wrong about more than the time.
        clock.running = (this.#app.clock.isTrusted ? work() : Promise.resolve())
          .catch((error: unknown) => this.#app.log.error({ err: error }, 'what the clock brings could not be done'))
          .finally(next);
      }, ms);
    };
    next();
  }

  /** Waits for the jobs at hand: handlers see `isMine` turn false and leave at the next safe point. */
  async stop(): Promise<void> {
    this.#isStopped = true;
    this.#app.checks.delete('queue');
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
  #isAtWork = false;
  #askedAt = Date.now();

  constructor(app: App, handlers: Handlers) {
    this.#app = app;
    this.#handlers = handlers;
  }

  start(): void {
    this.#loop = this.#run();
  }

  /** Whether it is at a job, or asked for one lately. */
  get isAlive(): boolean {
    return this.#isAtWork || Date.now() - this.#askedAt < silentMs;
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
        const asked = performance.now();
        const job = await claim(this.#app, Object.keys(this.#handlers));
        this.#askedAt = Date.now();
        this.#isAtWork = job !== undefined;
        if (job) await this.#work(job, asked + leaseMs);
        else await this.#rest();
      } catch (error) {
        this.#app.log.error({ err: error }, 'the queue could not be asked');
        this.#isAtWork = false;
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

  /** @param goodUntil - until when its lease is good for sure, by this process's clock that only goes on */
  async #work(job: Job, goodUntil: number): Promise<void> {
    const handler = this.#handlers[job.kind];
    if (!handler || job.deaths >= maxDeaths) {
      const why = handler ? `given up after ${maxDeaths} workers died of it` : `no handler for ${job.kind}`;
      return finish(this.#app, job, 'failed', why);
    }
    let isHeld = true;
    let wasTold = false;
    const beat = setInterval(() => {
      const asked = performance.now();
      renew(this.#app, job).then(
        (held) => {
          isHeld &&= held;
          goodUntil = asked + leaseMs;
        },
        (error: unknown) => this.#app.log.warn({ err: error }, 'a lease could not be renewed'),
      );
    }, heartbeatMs);
    const isMine = () => {
      isHeld &&= performance.now() < goodUntil;
      const is = isHeld && !this.#stopped;
      wasTold ||= !is;
      return is;
    };
    try {
      await handler(this.#app, job, isMine);
      // A handler that left because of a stop, or of a lease that may have run out, has not finished: it is given back, and
      // another worker goes on at once. Where one has it already, this changes nothing.
      if (wasTold) await retry(() => postpone(this.#app, job, 0, { isFree: true }));
      else await retry(() => finish(this.#app, job, 'done', null));
    } catch (error) {
      await this.#afterFailure(job, error, wasTold);
    } finally {
      clearInterval(beat);
    }
  }

  /** When a job that failed is tried again; nothing where it is not. */
  #nextTry(job: Job, error: unknown, isLost: boolean): { delayMs: number; isFree: boolean } | undefined {
    if (isLost) return { delayMs: awayMs, isFree: true };
    const { attempts } = job;
    if (error instanceof TryLater && (error.isPatient || attempts < maxTries))
      return { delayMs: error.delayMs, isFree: error.isPatient };
    if (isCollision(error) && attempts < maxTries) return { delayMs: awayMs, isFree: false };
    // Whoever hears of an event is told once: what went wrong then may be over tomorrow.
    const delayMs = isEventJob(job.kind) ? hearerPausesMs[attempts - 1] : undefined;
    return delayMs === undefined ? undefined : { delayMs, isFree: false };
  }

  async #afterFailure(job: Job, error: unknown, isGivenBack: boolean): Promise<void> {
    const { app, lost } = { app: this.#app, lost: isConnectionLost(error) };
    if (isGivenBack) return retry(() => postpone(app, job, 0, { isFree: true }));
    const again = this.#nextTry(job, error, lost);
    if (again) {
      app.log.info({ err: error, job: job.id, kind: job.kind }, 'a job waits for its next try');
      return retry(() =>
        postpone(app, job, again.delayMs, { isFree: again.isFree, error: again.isFree ? null : wordsOf(error) }),
      );
    }
    app.log.error({ err: error, job: job.id, kind: job.kind }, 'a job failed');
    await retry(() => finish(app, job, 'failed', wordsOf(error)));
  }
}
