import { PassThrough, type Readable } from 'node:stream';
import type { Context } from 'koa';
import type { App, Change } from '../../platform/index.ts';
import { comingAgain } from './page.ts';

/** A page ends after so long and comes anew, unless something ends it earlier; not all of them at once. */
const pageMs = 10 * 60_000;
const spreadMs = 3 * 60_000;
/** What could not be looked at is looked at again. */
const afterFailureMs = 10_000;

/**
 * A page whose answer stays open. A device without scripts cannot be told anything else than what comes with its page: so
 * the page goes on, and what has changed is added to it.
 */
export class HeldPage {
  readonly #stream = new PassThrough();
  readonly #app: App;
  #timer: NodeJS.Timeout | undefined;
  #looking: Promise<void> | undefined;
  #isAskedAgain = false;
  readonly #look: (page: HeldPage) => Promise<number>;

  /** @param look - adds what has changed; returns after how many milliseconds it is to look again, at the latest */
  constructor(app: App, look: (page: HeldPage) => Promise<number>) {
    this.#app = app;
    this.#look = look;
  }

  get isOpen(): boolean {
    return !this.#stream.destroyed && !this.#stream.writableEnded;
  }

  add(html: string): void {
    if (this.isOpen) this.#stream.write(html);
  }

  /** Ends it. @param seconds - after which the page comes anew */
  end(seconds: number, html = ''): void {
    if (this.isOpen) this.#stream.end(html + comingAgain(seconds));
  }

  /** Leaves it as it is: nothing more comes, and it goes on by itself. */
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
      if (this.isOpen) nextMs = await this.#look(this);
    } catch (error) {
      this.#app.log.error({ err: error }, 'a page of pictures could not be looked after');
    }
    if (this.isOpen) this.#timer = setTimeout(() => void this.look(), nextMs);
  }

  /**
   * Sends the page, and goes on looking until it ends.
   *
   * @param concerns - whether a change is a reason to look at once; undefined where changes were missed
   * @param closed - what is done once nobody reads it any more
   */
  send(ctx: Context, concerns: (change: Change | undefined) => boolean, closed: () => void): Readable {
    const stop = this.#app.changes.subscribe((change) => {
      // What this process keeps is dropped by the same change: those who keep are told first.
      if (concerns(change)) setImmediate(() => void this.look());
    });
    const end = setTimeout(() => this.end(0), pageMs - Math.random() * spreadMs);
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
