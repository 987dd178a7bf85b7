/** How far a process's clock may be off before it does no timed work; milliseconds. */
const mostOffMs = 30_000;

/**
 * The clock of the database, as far as a process knows it. All processes share it, so none of their own clocks decides when
 * something is due or over. Between two readings it goes on by the process's steady clock, which nobody can set.
 */
export class Clock {
  readonly #own: () => number;
  /** What the database's clock showed when the steady clock stood at zero. */
  #atZero: number;
  #offMs = 0;

  /** @param own - the process's clock: milliseconds since 1970-01-01T00:00:00Z */
  constructor(own: () => number = Date.now) {
    this.#own = own;
    this.#atZero = own() - performance.now();
  }

  /** Milliseconds since 1970-01-01T00:00:00Z. */
  readonly now = (): number => Math.floor(this.#atZero + performance.now());

  /** How far the process's own clock is ahead of the database's; milliseconds. */
  get offMs(): number {
    return this.#offMs;
  }

  get isTrusted(): boolean {
    return Math.abs(this.#offMs) <= mostOffMs;
  }

  /** Reads the database's clock. @param ask - its milliseconds since 1970-01-01T00:00:00Z */
  async read(ask: () => Promise<number>): Promise<void> {
    const asked = performance.now();
    const shown = await ask();
    const tookMs = performance.now() - asked;
    this.#offMs = Math.round(this.#own() - shown - tookMs / 2);
    // It showed this at some moment while it was asked: what is known is corrected only where it cannot be right.
    const earliest = shown - performance.now();
    this.#atZero = Math.min(Math.max(this.#atZero, earliest), earliest + tookMs);
  }
}
