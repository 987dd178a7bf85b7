import type { App } from './app.ts';

const flushMs = 1_000;
const mostAtOnce = 500;
/** More than a day without a database brings: then the oldest go. */
const mostHeld = 100_000;

/**
 * Collects what is worth a row and no wait: many are written at once, a second later, and when the process ends. What could
 * not be written is written with the next; what was written is never written again.
 */
export class Batch<Entry extends object> {
  readonly #app: App;
  readonly #what: string;
  readonly #write: (entries: readonly [Entry, ...Entry[]]) => Promise<void>;
  readonly #keyOf: (entry: Entry) => string;
  #entries: Entry[] = [];
  #timer: NodeJS.Timeout | undefined;
  #writing: Promise<void> | undefined;

  /**
   * @param what - name of the entries, for the log
   * @param write - writes all of its entries or none
   * @param keyOf - entries with the same key are written together; all of them when left out
   */
  constructor(
    app: App,
    what: string,
    write: (entries: readonly [Entry, ...Entry[]]) => Promise<void>,
    keyOf: (entry: Entry) => string = () => '',
  ) {
    this.#app = app;
    this.#what = what;
    this.#write = write;
    this.#keyOf = keyOf;
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
      const written = new Set<Entry>();
      try {
        for (const group of groupedBy(this.#entries.slice(0, mostAtOnce), this.#keyOf).values()) {
          await this.#write(group);
          for (const entry of group) written.add(entry);
        }
      } catch (error) {
        this.#app.log.warn({ err: error, entries: this.#entries.length }, `${this.#what} could not be written`);
        this.#timer ??= setTimeout(() => void this.flush(), flushMs).unref();
        return;
      } finally {
        this.#entries = this.#entries.filter((entry) => !written.has(entry));
      }
    }
  }
}

function groupedBy<Entry>(
  entries: readonly Entry[],
  keyOf: (entry: Entry) => string,
): Map<string, [Entry, ...Entry[]]> {
  const groups = new Map<string, [Entry, ...Entry[]]>();
  for (const entry of entries) {
    const own = groups.get(keyOf(entry));
    if (own) own.push(entry);
    else groups.set(keyOf(entry), [entry]);
  }
  return groups;
}
