/** Gives something up when nothing happens to it for a while, however long it takes in all. */
export class IdleTimeout {
  readonly #abort = new AbortController();
  readonly #silentMs: number;
  #timer: NodeJS.Timeout;
  #hasEnded = false;

  constructor(silentMs: number) {
    this.#silentMs = silentMs;
    this.#timer = this.#wait();
  }

  get signal(): AbortSignal {
    return this.#abort.signal;
  }

  #wait(): NodeJS.Timeout {
    return setTimeout(() => this.#abort.abort(new Error(`nothing happened for ${this.#silentMs} ms`)), this.#silentMs);
  }

  #goOn(): void {
    clearTimeout(this.#timer);
    // Pieces may still be on their way when nobody waits for them any more.
    if (!this.#hasEnded) this.#timer = this.#wait();
  }

  /** Hands pieces on; each that is taken is something that happens. */
  async *passing<T>(pieces: AsyncIterable<T>): AsyncGenerator<T> {
    for await (const piece of pieces) {
      this.#goOn();
      yield piece;
    }
    this.#goOn();
  }

  end(): void {
    this.#hasEnded = true;
    clearTimeout(this.#timer);
  }
}
