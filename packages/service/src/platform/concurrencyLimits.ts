import { AsyncLocalStorage } from 'node:async_hooks';
import { Refusal } from '@underbell/core/refusal';
import type { App } from './app.ts';
import { perInstance } from './perInstance.ts';

/** How many at once for each kind of asker, in one process. */
export interface ConcurrencyLimits {
  readonly person: number;
  readonly token: number;
  readonly placement: number;
}

/** Of the connections that answer readers, so that nobody takes all of them: the rest is for the others. */
export const connectionShares: ConcurrencyLimits = { person: 6, token: 6, placement: 8 };
/** Of streams that tell of changes. */
export const streamShares: ConcurrencyLimits = { person: 24, token: 24, placement: 1_000 };
/** Of files of rows that are being fetched. */
export const downloadShares: ConcurrencyLimits = { person: 2, token: 2, placement: 4 };
/** So many questions of one asker wait for its own share; more are turned away. */
const mostWaiting = 200;

/** `person:ID`, `token:ID`, `placement:NAME`. */
export type AskerKey = `${keyof ConcurrencyLimits}:${string}`;

const asking = new AsyncLocalStorage<readonly AskerKey[]>();

/** Runs work on behalf of somebody, whose share of what is shared it uses. */
export function runAs<T>(keys: readonly AskerKey[], work: () => T): T {
  return asking.run(keys, work);
}

/** On whose behalf work is done just now; nobody's outside of a request. */
export const currentCallers = (): readonly AskerKey[] => asking.getStore() ?? [];

interface Share {
  used: number;
  readonly waiting: (() => void)[];
}

/** Shares of one thing that several askers want at once. */
export class Shares {
  readonly #limits: ConcurrencyLimits;
  readonly #shares = new Map<AskerKey, Share>();

  constructor(limits: ConcurrencyLimits) {
    this.#limits = limits;
  }

  #of(key: AskerKey): Share {
    const known = this.#shares.get(key);
    if (known) return known;
    const made: Share = { used: 0, waiting: [] };
    this.#shares.set(key, made);
    return made;
  }

  #limitOf(key: AskerKey): number {
    return this.#limits[key.slice(0, key.indexOf(':')) as keyof ConcurrencyLimits];
  }

  #giveBack(key: AskerKey): void {
    const share = this.#shares.get(key)!;
    const next = share.waiting.shift();
    // The place goes to whoever waits; nobody who comes meanwhile takes it.
    if (next) return next();
    share.used--;
    if (share.used === 0) this.#shares.delete(key);
  }

  /** Takes a place for every key, or none. @throws {Refusal} `RATE_LIMITED` */
  takeNow(keys: readonly AskerKey[]): () => void {
    const full = keys.find((key) => this.#of(key).used >= this.#limitOf(key));
    if (full !== undefined) {
      for (const key of keys) if (this.#of(key).used === 0) this.#shares.delete(key);
      throw new Refusal('RATE_LIMITED', 'Too many open connections. Close some, then try again.');
    }
    for (const key of keys) this.#of(key).used++;
    return this.#once(keys);
  }

  /** Waits for a place for every key, in the order of the keys. @throws {Refusal} `RATE_LIMITED` where too many wait already */
  async take(keys: readonly AskerKey[]): Promise<() => void> {
    const taken: AskerKey[] = [];
    try {
      for (const key of keys) {
        const share = this.#of(key);
        if (share.used < this.#limitOf(key)) share.used++;
        else {
          if (share.waiting.length >= mostWaiting)
            throw new Refusal('RATE_LIMITED', 'Too many requests at once. Wait for the responses, then try again.');
          await new Promise<void>((resolve) => share.waiting.push(resolve));
        }
        taken.push(key);
      }
    } catch (error) {
      for (const key of taken) this.#giveBack(key);
      throw error;
    }
    return this.#once(taken);
  }

  #once(keys: readonly AskerKey[]): () => void {
    let isGiven = false;
    return () => {
      if (isGiven) return;
      isGiven = true;
      for (const key of keys) this.#giveBack(key);
    };
  }
}

interface AppShares {
  readonly connections: Shares;
  readonly streams: Shares;
  readonly downloads: Shares;
}
const shares = perInstance<AppShares>(() => ({
  connections: new Shares(connectionShares),
  streams: new Shares(streamShares),
  downloads: new Shares(downloadShares),
}));

/** A place among the connections for readers. @returns what gives it back */
export function takeConnection(app: App): Promise<() => void> {
  return shares(app).connections.take(currentCallers());
}

/** A place among those who fetch files of rows. @throws {Refusal} `RATE_LIMITED` */
export function takeDownload(app: App): () => void {
  return shares(app).downloads.takeNow(currentCallers());
}

/** A place among the streams that tell of changes. @throws {Refusal} `RATE_LIMITED` */
export function takeStream(app: App, keys: readonly string[]): () => void {
  return shares(app).streams.takeNow(keys as readonly AskerKey[]);
}
