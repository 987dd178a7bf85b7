import type { App } from './app.ts';

const flushMs = 1_000;
const mostAtOnce = 500;
/** More than a day without a database brings: then the oldest go. */
const mostHeld = 100_000;

/**
 * Collects what is worth a row and no wait: many are written at once, a second later, and when the process ends. What could
 * not be written is written with the next.
 */
export class Batch<Entry> {
  readonly #app: App;
  readonly #what: string;
  readonly #write: (entries: readonly Entry[]) => Promise<void>;
  #entries: Entry[] = [];
  #timer: NodeJS.Timeout | undefined;
  #writing: Promise<void> | undefined;

  /** @param what - in words, for the log */
  constructor(app: App, what: string, write: (entries: readonly Entry[]) => Promise<void>) {
    this.#app = app;
    this.#what = what;
    this.#write = write;
    app.atClose.add(() => this.flush());
  }

  add(entry: Entry): void {
    this.#entries.push(entry);
    if (this.#entries.length > mostHeld) this.#entries.splice(0, mostAtOnce);
    if (this.#entries.length >= mostAtOnce && this.#timer !== undefined && this.#writing === undefined)
      void this.flush();
    else this.#timer ??= setTimeout(() => void this.flush(), flushMs).unref();
  }

  /** Writes what there is; what fails stays for the next time. */
  async flush(): Promise<void> {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    // One after the other, so that nothing is written twice.
    const writing = (this.#writing ?? Promise.resolve()).then(() => this.#writeAll());
    this.#writing = writing;
    await writing;
    if (this.#writing === writing) this.#writing = undefined;
  }

  async #writeAll(): Promise<void> {
    while (this.#entries.length > 0) {
      const some = this.#entries.slice(0, mostAtOnce);
      try {
        await this.#write(some);
      } catch (error) {
        this.#app.log.warn({ err: error, entries: this.#entries.length }, `${this.#what} could not be written`);
        this.#timer ??= setTimeout(() => void this.flush(), flushMs).unref();
        return;
      }
      this.#entries = this.#entries.slice(some.length);
    }
  }
}

/** Entries by what they are about. */
export function groupedBy<Entry>(entries: readonly Entry[], keyOf: (entry: Entry) => string): Map<string, Entry[]> {
  const groups = new Map<string, Entry[]>();
  for (const entry of entries) {
    const own = groups.get(keyOf(entry));
    if (own) own.push(entry);
    else groups.set(keyOf(entry), [entry]);
  }
  return groups;
}
