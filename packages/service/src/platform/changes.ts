import { randomBytes } from 'node:crypto';
import type { Duplex } from 'node:stream';
import type { ThingKind } from '@underbell/core/access';
import pg from 'pg';
import { connectionTo } from './pool.ts';
import type { Settings } from './settings.ts';

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
/** So often the feed tells itself something through the database; without an answer until the next time, it is deaf. */
const usualBeatMs = 3_000;

type FeedSettings = Pick<Settings, 'databaseUrl' | 'transactionIdleSeconds'>;

/**
 * Hears what every process announces. A connection that is lost, or over which nothing comes any more, is made anew, and
 * everybody looks again: when it is found out, and when changes are heard again.
 */
export class ChangeFeed {
  readonly #settings: FeedSettings;
  readonly #beatMs: number;
  readonly #listeners = new Set<(change: Change | undefined) => void>();
  readonly #jobListeners = new Set<() => void>();
  #client: pg.Client | undefined;
  #starting: Promise<void> | undefined;
  #isListening = false;
  #isClosed = false;

  constructor(settings: FeedSettings, beatMs = usualBeatMs) {
    this.#settings = settings;
    this.#beatMs = beatMs;
  }

  /** Whether changes are heard, where somebody wants to hear them. */
  get isAlive(): boolean {
    return this.#starting === undefined || this.#isListening;
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
    const client = this.#client;
    if (!client) return;
    // A server that does not answer is not waited for.
    setTimeout(() => hangUp(client), retryMs).unref();
    await client.end().catch(() => undefined);
  }

  async #connect(): Promise<void> {
    const client = new pg.Client({
      ...connectionTo(this.#settings, { name: 'changes' }),
      connectionTimeoutMillis: this.#beatMs * 2,
    });
    const beatChannel = `underbell_beat_${randomBytes(8).toString('hex')}`;
    let isHeard = true;
    let beat: NodeJS.Timeout | undefined;
    const again = () => {
      clearInterval(beat);
      if (this.#client !== client) return;
      this.#client = undefined;
      if (this.#isClosed) return;
      if (this.#isListening) this.#tell(undefined);
      this.#isListening = false;
      setTimeout(() => (this.#starting = this.#reconnect()), retryMs).unref();
    };
    client.on('error', again);
    client.on('end', again);
    client.on('notification', ({ channel, payload }) => {
      if (channel === beatChannel) isHeard = true;
      else if (channel === jobChannel) this.#tellOfJobs();
      else this.#tell(JSON.parse(payload ?? '{}') as Change);
    });
    this.#client = client;
    try {
      await client.connect();
      await client.query(`LISTEN ${changeChannel}; LISTEN ${jobChannel}; LISTEN ${beatChannel}`);
      this.#isListening = true;
      const check = () => {
        if (!isHeard) return hangUp(client);
        isHeard = false;
        client.query(`NOTIFY ${beatChannel}`).catch(() => hangUp(client));
      };
      // What came while this process was busy is heard first.
      beat = setInterval(() => setImmediate(check), this.#beatMs);
      beat.unref();
    } catch {
      hangUp(client);
      again();
    }
    if (this.#isClosed) hangUp(client);
  }

  async #reconnect(): Promise<void> {
    if (this.#isClosed) return;
    await this.#connect();
    if (this.#isListening) this.#tell(undefined);
  }

  #tell(change: Change | undefined): void {
    for (const hear of this.#listeners) hear(change);
    if (change === undefined) this.#tellOfJobs();
  }

  #tellOfJobs(): void {
    for (const hear of this.#jobListeners) hear();
  }
}

/** Ends a connection whose other end may not answer: the driver's own end waits for it. */
function hangUp(client: pg.Client): void {
  (client as unknown as { connection: { stream: Duplex } }).connection.stream.destroy();
}
