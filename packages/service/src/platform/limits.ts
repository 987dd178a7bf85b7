import { RateLimiterPostgres, RateLimiterRes } from 'rate-limiter-flexible';
import { Refusal } from '@underbell/core/refusal';
import type { App } from './app.ts';
import { Batch } from './batch.ts';
import { perInstance } from './perInstance.ts';

/** How many failures are allowed in how many seconds, counted over all processes. */
const limits = {
  /** From one address, whoever is meant. */
  'sign-in': { points: 60, duration: 300 },
  /** For one person from one address. */
  'sign-in here': { points: 8, duration: 300 },
  /** For one person from one browser that the person has signed in from. */
  'sign-in known': { points: 8, duration: 300 },
  /** For one person from everywhere that is not known. */
  'sign-in anywhere': { points: 100, duration: 300 },
  password: { points: 8, duration: 300 },
  client: { points: 30, duration: 300 },
  setup: { points: 10, duration: 300 },
  invitation: { points: 20, duration: 300 },
  request: { points: 20, duration: 3_600 },
  link: { points: 60, duration: 300 },
  /** Views by a public link from one address, and from everywhere. */
  'public link here': { points: 120, duration: 60 },
  'public link': { points: 6_000, duration: 60 },
  /** Signing in by a chat's word, from one address. */
  chat: { points: 60, duration: 300 },
  /** Posts of one person into channels. */
  post: { points: 30, duration: 600 },
  /** Codes for screens, from one address. */
  'screen code': { points: 60, duration: 900 },
  /** Codes of screens that one person types wrongly. */
  'screen code typed': { points: 20, duration: 600 },
  /** Requests of strangers that cannot be read, from one address. */
  'unreadable input': { points: 200, duration: 300 },
  hook: { points: 60, duration: 300 },
} as const;
export type LimitName = keyof typeof limits;

const limiters = perInstance(() => new Map<LimitName, RateLimiterPostgres>());

function limiterOf(app: App, name: LimitName): RateLimiterPostgres {
  const known = limiters(app);
  const found = known.get(name);
  if (found) return found;
  const made = new RateLimiterPostgres({
    storeClient: app.records,
    storeType: 'sequelize',
    tableName: 'rate_limits',
    tableCreated: true,
    clearExpiredByTimeout: false,
    keyPrefix: name,
    ...limits[name],
  });
  known.set(name, made);
  return made;
}

function tooMany(msBeforeNext: number): Refusal {
  const seconds = Math.max(1, Math.ceil(msBeforeNext / 1000));
  return new Refusal('RATE_LIMITED', `Too many attempts. Try again in ${seconds} seconds.`);
}

interface Attempt {
  readonly name: LimitName;
  readonly key: string;
}
const attemptKey = ({ name, key }: Attempt) => `${name} ${key}`;

/** What many do at once at one key: until when, by the steady clock, a key has had enough. */
const together = perInstance((app) => {
  const spent = new Map<string, number>();
  const batch = new Batch<Attempt>(
    app,
    'attempts',
    async (attempts) => {
      const [{ name, key }] = attempts;
      await limiterOf(app, name)
        .consume(key, attempts.length)
        .catch((error: unknown) => {
          if (!(error instanceof RateLimiterRes)) throw error;
          spent.set(attemptKey(attempts[0]), performance.now() + error.msBeforeNext);
        });
    },
    attemptKey,
  );
  return { spent, batch };
});

/**
 * Counts one of the many attempts that come at one key at once, without a write for each: what is too much is refused a second
 * later than elsewhere.
 *
 * @throws {Refusal} `RATE_LIMITED`
 */
export function countTogether(app: App, name: LimitName, key: string): void {
  const { spent, batch } = together(app);
  const id = attemptKey({ name, key });
  const waitMs = (spent.get(id) ?? 0) - performance.now();
  if (waitMs > 0) throw tooMany(waitMs);
  spent.delete(id);
  batch.add({ name, key });
}

/** Counts one attempt that is limited whether it succeeds or not. @throws {Refusal} `RATE_LIMITED` */
export async function countAttempt(app: App, name: LimitName, key: string): Promise<void> {
  try {
    await limiterOf(app, name).consume(key);
  } catch (error) {
    if (error instanceof RateLimiterRes) throw tooMany(error.msBeforeNext);
    throw error;
  }
}

/**
 * Does work that may fail only so often for one key; what succeeds does not count.
 *
 * For keys that nobody guesses, because they are too long: a good one counts however many wrong ones came from the same
 * address, and what fails is counted afterwards.
 *
 * @throws {Refusal} `RATE_LIMITED`, or what the work throws
 */
export async function limitFailures<T>(app: App, name: LimitName, key: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    // What is known passes before anything is counted: nobody closes it to others at the same address by guessing.
    if (error instanceof Refusal) await countAttempt(app, name, key);
    throw error;
  }
}

/**
 * Does work that may be tried only so often for one key, for what can be guessed: each try is counted in one statement
 * before it is looked at, so that none of many at once passes uncounted, and taken back when it succeeds.
 *
 * @throws {Refusal} `RATE_LIMITED`, or what the work throws
 */
export async function limitGuesses<T>(app: App, name: LimitName, key: string, work: () => Promise<T>): Promise<T> {
  await countAttempt(app, name, key);
  const giveBack = () => limiterOf(app, name).reward(key, 1);
  try {
    const done = await work();
    await giveBack();
    return done;
  } catch (error) {
    // What broke says nothing about the guess.
    if (!(error instanceof Refusal)) await giveBack();
    throw error;
  }
}
