import { randomUUID } from 'node:crypto';
import { Transaction } from 'sequelize';
import type { FailedJob } from '@underbell/core/operations';
import type { App } from './app.ts';
import { jobs } from './models.ts';
import { querySql } from './records/index.ts';

// One statement takes a job that nobody else takes, by the clock of the database, which all workers share.

/** A piece of background work, leased to one worker at a time. */
export interface Job {
  readonly id: number;
  readonly kind: string;
  readonly payload: Readonly<Record<string, unknown>>;
  /** Counts from 1: how often it was taken up, for whatever reason. */
  readonly attempts: number;
  /** How many workers died while they had it. */
  readonly deaths: number;
  readonly lease: string;
}

export const leaseMs = 8_000;

/** @param delayMs - not before so long from now */
export async function enqueue(app: App, kind: string, payload: object, delayMs = 0): Promise<void> {
  if (delayMs > 0) {
    await querySql(
      app,
      `INSERT INTO jobs (kind, payload, created_at, not_before)
       VALUES ($kind, $payload::jsonb, $at, clock_timestamp() + $delayMs * interval '1 ms')`,
      { kind, payload: JSON.stringify(payload), at: new Date(app.now()), delayMs },
    );
    return;
  }
  await jobs(app).create({ kind, payload, createdAt: new Date(app.now()) });
}

/** Makes a job unless the same waits or is at work already. */
export async function enqueueOnce(app: App, kind: string, payload: object): Promise<void> {
  await querySql(
    app,
    `INSERT INTO jobs (kind, payload, created_at) SELECT $kind, $payload::jsonb, $at
     WHERE NOT EXISTS (SELECT FROM jobs WHERE kind = $kind AND payload = $payload::jsonb AND state IN ('waiting', 'leased'))`,
    { kind, payload: JSON.stringify(payload), at: new Date(app.now()) },
  );
}

/** Lets jobs that wait for a later moment start at once. @param payload - what theirs holds */
export async function hurry(app: App, kind: string, payload: object): Promise<void> {
  await querySql(
    app,
    `UPDATE jobs SET not_before = NULL WHERE kind = $kind AND state = 'waiting' AND payload @> $payload::jsonb`,
    { kind, payload: JSON.stringify(payload) },
  );
}

export async function claim(app: App, kinds: readonly string[]): Promise<Job | undefined> {
  const [job] = await querySql<Job>(
    app,
    // A lease that ran out is a worker that died, unless the server was away itself: then its worker gets time to say so.
    `UPDATE jobs SET deaths = deaths + CASE WHEN state = 'leased' THEN 1 ELSE 0 END, state = 'leased', lease = $lease,
       attempts = attempts + 1, lease_until = clock_timestamp() + $ms * interval '1 ms'
     WHERE id = (SELECT id FROM jobs WHERE kind = ANY($kinds)
                   AND (state = 'waiting' AND (not_before IS NULL OR not_before <= clock_timestamp())
                     OR (state = 'leased' AND lease_until < clock_timestamp()
                       AND pg_postmaster_start_time() < clock_timestamp() - $ms * interval '1 ms'))
                 ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED)
     RETURNING id, kind, payload, attempts, deaths, lease`,
    { lease: randomUUID(), ms: leaseMs, kinds: [...kinds] },
  );
  return job;
}

export async function renew(app: App, { id, lease }: Job): Promise<boolean> {
  const rows = await querySql(
    app,
    `UPDATE jobs SET lease_until = clock_timestamp() + $ms * interval '1 ms'
     WHERE id = $id AND lease = $lease AND state = 'leased' RETURNING id`,
    { id, lease, ms: leaseMs },
  );
  return rows.length > 0;
}

/**
 * Holds a job's lease for the length of a transaction: what is changed in it is changed by who holds the lease, or not at
 * all.
 *
 * @returns whether it is still held
 */
export async function holdLease(app: App, { id, lease }: Job): Promise<boolean> {
  const where = { id, lease, state: 'leased' } as const;
  return (await jobs(app).findOne({ where, attributes: ['id'], lock: Transaction.LOCK.UPDATE })) !== null;
}

/** Ends a job. */
export async function finish(
  app: App,
  { id, lease }: Job,
  state: 'done' | 'failed',
  error: string | null,
): Promise<void> {
  await jobs(app).update({ state, error, lease: null }, { where: { id, lease } });
}

/** @param options.isFree - it does not count as a try; options.error - why it is put off */
export async function postpone(
  app: App,
  { id, lease }: Job,
  delayMs: number,
  { isFree, error = null }: { readonly isFree: boolean; readonly error?: string | null },
): Promise<void> {
  await querySql(
    app,
    `UPDATE jobs SET state = 'waiting', lease = NULL, not_before = clock_timestamp() + $delayMs * interval '1 ms',
       attempts = attempts - $free, error = $error
     WHERE id = $id AND lease = $lease`,
    { id, lease, delayMs, free: isFree ? 1 : 0, error },
  );
}

/** Jobs that failed, and those that wait for their next try after a failure, newest first. */
export const listFailedJobs = (
  app: App,
  { before, count }: { readonly before?: number; readonly count: number },
): Promise<FailedJob<Date>[]> =>
  querySql<FailedJob<Date>>(
    app,
    `SELECT id, kind, state, payload, attempts, error, created_at AS "createdAt", not_before AS "nextTryAt" FROM jobs
     WHERE (state = 'failed' OR (state = 'waiting' AND error IS NOT NULL)) AND ($before::integer IS NULL OR id < $before::integer)
     ORDER BY id DESC LIMIT $count`,
    { before: before ?? null, count },
  );

/** Lets a job that failed, or waits for its next try, be tried now, as often as at first. @returns its kind; nothing where there is none */
export async function retryFailed(app: App, id: number): Promise<string | undefined> {
  const [job] = await querySql<{ kind: string }>(
    app,
    `UPDATE jobs SET state = 'waiting', not_before = NULL, attempts = 0, deaths = 0
     WHERE id = $id AND (state = 'failed' OR (state = 'waiting' AND error IS NOT NULL)) RETURNING kind`,
    { id },
  );
  return job?.kind;
}

/** Lets jobs that have not ended follow what they are about to its new name. @param kinds - patterns of LIKE */
export async function renameInJobs(app: App, kinds: readonly string[], from: string, to: string): Promise<void> {
  await querySql(
    app,
    `UPDATE jobs SET payload = jsonb_set(payload, '{name}', to_jsonb($to::text))
     WHERE kind LIKE ANY($kinds) AND state IN ('waiting', 'leased') AND payload->>'name' = $from`,
    { kinds: [...kinds], from, to },
  );
}
