import { PassThrough, type Readable } from 'node:stream';
import type { Context } from 'koa';
import type { App, Change } from '../../platform/index.ts';

/** What could not be looked at is looked at again. */
const afterFailureMs = 10_000;
/** What has ended and is not fetched until then is left alone: nobody is there any more. */
const lastMs = 30_000;

interface HeldOptions {
  /** Adds what has changed; returns after how many milliseconds it is to look again, at the latest. */
  readonly look: (answer: LongResponse) => Promise<number>;
  /** It ends after so long, unless something ends it earlier. */
  readonly mostMs: number;
  /** What it ends with then. */
  readonly last: () => string | Uint8Array;
}

/**
 * An answer that stays open. A device without scripts cannot be told anything else than what comes with what it asked for: so
 * that goes on, and what has changed is added to it.
 */
export class LongResponse {
  readonly #stream = new PassThrough();
  readonly #app: App;
  readonly #options: HeldOptions;
  #timer: NodeJS.Timeout | undefined;
  #looking: Promise<void> | undefined;
  #isAskedAgain = false;

  constructor(app: App, options: HeldOptions) {
    this.#app = app;
    this.#options = options;
  }

  get isOpen(): boolean {
    return !this.#stream.destroyed && !this.#stream.writableEnded;
  }
  /** Whether what was added last has not gone out yet. */
  get isBehind(): boolean {
    return this.#stream.writableNeedDrain;
  }

  add(...pieces: readonly (string | Uint8Array)[]): void {
    if (this.isOpen) for (const piece of pieces) this.#stream.write(piece);
  }

  /** Ends it, with a last piece. */
  end(last = this.#options.last()): void {
    if (!this.isOpen) return;
    this.#stream.end(last);
    const leave = setTimeout(() => this.drop(), lastMs);
    this.#stream.once('close', () => clearTimeout(leave));
  }

  /** Leaves it as it is: nothing more comes, and whoever had it goes on by itself. */
  drop(): void {
    this.#stream.destroy();
  }

  /** Looks what has changed, one look at a time. */
  look(): Promise<void> {
    if (this.#looking) {
      this.#isAskedAgain = true;
      return this.#looking;
    }
    const looking = this.#lookNow().finally(() => {
      this.#looking = undefined;
      if (!this.#isAskedAgain) return;
      this.#isAskedAgain = false;
      void this.look();
    });
    this.#looking = looking;
    return looking;
  }

  async #lookNow(): Promise<void> {
    clearTimeout(this.#timer);
    let nextMs = afterFailureMs;
    try {
      if (this.isOpen) nextMs = await this.#options.look(this);
    } catch (error) {
      this.#app.log.error({ err: error }, 'what a device without scripts sees could not be looked after');
    }
    if (this.isOpen) this.#timer = setTimeout(() => void this.look(), nextMs);
  }

  /**
   * Sends it, and goes on looking until it ends.
   *
   * @param concerns - whether a change is a reason to look at once; undefined where changes were missed
   * @param closed - what is done once nobody reads it any more
   */
  send(ctx: Context, concerns: (change: Change | undefined) => boolean, closed: () => void): Readable {
    const stop = this.#app.changes.subscribe((change) => {
      // What this process keeps is dropped by the same change: those who keep are told first.
      if (concerns(change)) setImmediate(() => void this.look());
    });
    const end = setTimeout(() => this.end(), this.#options.mostMs);
    this.#stream.once('close', () => {
      stop();
      clearTimeout(end);
      clearTimeout(this.#timer);
      closed();
    });
    ctx.req.once('close', () => this.drop());
    ctx.set('X-Accel-Buffering', 'no');
    (ctx as unknown as { compress: boolean }).compress = false;
    // What changed before anybody listened is seen now.
    void this.look();
    return this.#stream;
  }
}
