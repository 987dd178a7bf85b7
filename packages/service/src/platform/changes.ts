import type { ThingKind } from '@underbell/core/access';
import pg from 'pg';

/**
 * What changed, for those who are looking at it: every process hears of it. Of rights, triggers of their tables tell: the
 * name is `person:ID` or `client:ID` where they are of one, and empty where they may be anybody's.
 */
export interface Change {
  readonly kind: ThingKind | 'rights';
  readonly name: string;
}

export const changeChannel = 'underbell_changes';
/** Jobs that were made, given back or done: a trigger of their table tells of them. */
const jobChannel = 'underbell_jobs';
const retryMs = 1_000;

/** Hears what every process announces. A lost connection comes back by itself, and everybody looks again then. */
export class ChangeFeed {
  readonly #databaseUrl: string;
  readonly #listeners = new Set<(change: Change | undefined) => void>();
  readonly #jobListeners = new Set<() => void>();
  #client: pg.Client | undefined;
  #starting: Promise<void> | undefined;
  #isClosed = false;

  constructor(databaseUrl: string) {
    this.#databaseUrl = databaseUrl;
  }

  /** @param hear - called with each change, or with nothing after a gap in which some may have been missed */
  subscribe(hear: (change: Change | undefined) => void): () => void {
    this.#listeners.add(hear);
    this.#starting ??= this.#connect();
    return () => this.#listeners.delete(hear);
  }

  /** @param hear - called when jobs were made, given back or done, and after a gap */
  subscribeJobs(hear: () => void): () => void {
    this.#jobListeners.add(hear);
    this.#starting ??= this.#connect();
    return () => this.#jobListeners.delete(hear);
  }

  /** Until changes are heard: what is read from then on, and kept until one is told, is never older than that. */
  async listening(): Promise<void> {
    this.#starting ??= this.#connect();
    await this.#starting;
  }

  async close(): Promise<void> {
    this.#isClosed = true;
    this.#listeners.clear();
    this.#jobListeners.clear();
    await this.#starting;
    await this.#client?.end().catch(() => undefined);
  }

  async #connect(): Promise<void> {
    const client = new pg.Client({ connectionString: this.#databaseUrl, application_name: 'underbell changes' });
    const again = () => {
      if (this.#client !== client || this.#isClosed) return;
      this.#client = undefined;
      setTimeout(() => (this.#starting = this.#connect().then(() => this.#tell(undefined))), retryMs).unref();
    };
    client.on('error', again);
    client.on('end', again);
    client.on('notification', ({ channel, payload }) => {
      if (channel === jobChannel) this.#tellOfJobs();
      else this.#tell(JSON.parse(payload ?? '{}') as Change);
    });
    this.#client = client;
    try {
      await client.connect();
      await client.query(`LISTEN ${changeChannel}; LISTEN ${jobChannel}`);
    } catch {
      again();
    }
    if (this.#isClosed) await client.end().catch(() => undefined);
  }

  #tell(change: Change | undefined): void {
    for (const hear of this.#listeners) hear(change);
    if (change === undefined) this.#tellOfJobs();
  }

  #tellOfJobs(): void {
    for (const hear of this.#jobListeners) hear();
  }
}
