import { Op, QueryTypes } from 'sequelize';
import { failuresToPause, ownMail, waitFor, type DestinationKind, type Rate } from '@underbell/core/burst';
import type { DestinationState } from '@underbell/core/deliver';
import { defineRecord, plain, type App } from '../platform/index.ts';

export interface DestinationRow {
  name: string;
  kind: DestinationKind;
  /** For people: without credentials. */
  address: string;
  /** Address and credentials, encrypted. */
  sealed: string | null;
  rates: Rate[];
  parallel: number;
  state: DestinationState;
  reason: string | null;
  stateAt: Date | null;
  /** In a row. */
  failures: number;
  testedAt: Date | null;
  testError: string | null;
}

const table = (app: App) =>
  defineRecord<DestinationRow>(app.records, 'destinations', {
    name: 'key',
    kind: 'text',
    address: 'text',
    sealed: 'text',
    rates: 'json',
    parallel: 'integer',
    state: 'text',
    reason: 'text',
    stateAt: 'instant',
    failures: 'integer',
    testedAt: 'instant',
    testError: 'text',
  });

export async function findDestination(app: App, name: string): Promise<DestinationRow | undefined> {
  const row = await table(app).findByPk(name);
  return row ? plain(row) : undefined;
}

export async function listDestinations(app: App): Promise<DestinationRow[]> {
  return (await table(app).findAll({ order: ['name'] })).map(plain);
}

export async function putDestination(
  app: App,
  row: Pick<DestinationRow, 'name' | 'kind' | 'address' | 'sealed' | 'rates' | 'parallel'>,
): Promise<void> {
  const fresh = { state: 'ready', reason: null, stateAt: null, failures: 0, testedAt: null, testError: null } as const;
  await table(app).upsert({ ...row, ...fresh });
}

export async function changeDestination(app: App, name: string, change: Partial<DestinationRow>): Promise<void> {
  await table(app).update(change, { where: { name } });
}

export async function noteTest(app: App, name: string, testError: string | null): Promise<void> {
  await changeDestination(app, name, { testedAt: new Date(app.now()), testError });
}

/** Notes that it took a copy: failures count in a row. */
export async function noteSuccess(app: App, name: string): Promise<void> {
  await table(app).update(
    { failures: 0, state: 'ready', reason: null, stateAt: null },
    { where: { name, state: { [Op.ne]: 'paused' }, failures: { [Op.gt]: 0 } } },
  );
}

/**
 * Notes that it took nothing; after a few in a row it stops by itself.
 *
 * @param count - how many failures this stands for: where nobody was let in at all, as many as stop it
 * @returns whether it has stopped
 */
export async function noteFailure(app: App, name: string, reason: string, count = 1): Promise<boolean> {
  const [row] = await app.records.query<{ state: DestinationState }>(
    `UPDATE destinations SET failures = failures + $count, reason = CASE WHEN state = 'paused' THEN reason ELSE $reason END,
       state = CASE WHEN state = 'ready' AND failures + $count >= $most THEN 'failing' ELSE state END,
       state_at = CASE WHEN state = 'ready' AND failures + $count >= $most THEN $at ELSE state_at END
     WHERE name = $name RETURNING state`,
    { bind: { name, reason, count, most: failuresToPause, at: new Date(app.now()) }, type: QueryTypes.SELECT },
  );
  return row !== undefined && row.state !== 'ready';
}

/** What came of asking for a turn: none left to do, taken, or how long to wait. */
export type Turn =
  | { readonly kind: 'taken' }
  | { readonly kind: 'gone' }
  | { readonly kind: 'wait'; readonly ms: number; readonly why: string }
  | { readonly kind: 'stopped'; readonly state: DestinationState; readonly reason: string };

/** How long to look away while as many copies as may be are on their way. */
const crowdedMs = 40;

/**
 * Takes a turn at a destination, within its limits over all processes: no stretch of time holds more copies than its
 * rates allow, and no more are on their way at once.
 *
 * @param claim - claims the copy, in the same transaction; false when somebody else has it
 */
export async function takeTurn(app: App, name: string, claim: () => Promise<boolean>): Promise<Turn> {
  return app.records.transaction(async (): Promise<Turn> => {
    const [row] = await app.records.query<{
      rates: Rate[];
      parallel: number;
      state: DestinationState;
      reason: string | null;
      now: string;
    }>(
      'SELECT rates, parallel, state, reason, extract(epoch FROM clock_timestamp()) * 1000 AS now FROM destinations WHERE name = $name FOR UPDATE',
      { bind: { name }, type: QueryTypes.SELECT },
    );
    if (!row) return { kind: 'stopped', state: 'paused', reason: `the destination ${name} is gone` };
    if (row.state !== 'ready') return { kind: 'stopped', state: row.state, reason: row.reason ?? 'it is paused' };
    const [sending] = await app.records.query<{ count: string }>(
      `SELECT count(*) AS count FROM deliveries WHERE destination = $name AND state = 'sending'`,
      { bind: { name }, type: QueryTypes.SELECT },
    );
    if (Number(sending!.count) >= row.parallel) return { kind: 'wait', ms: crowdedMs, why: '' };
    const latest = await Promise.all(row.rates.map(({ copies }) => latestTurn(app, name, copies)));
    const ms = waitFor(row.rates, latest, Number(row.now));
    if (ms > 0) return { kind: 'wait', ms, why: 'its limit is reached' };
    if (!(await claim())) return { kind: 'gone' };
    if (row.rates.length > 0)
      await app.records.query(
        'INSERT INTO destination_turns (destination_name, at) VALUES ($name, clock_timestamp())',
        {
          bind: { name },
        },
      );
    return { kind: 'taken' };
  });
}

/** When the oldest of the latest so many turns was; milliseconds, undefined where there were fewer. */
async function latestTurn(app: App, name: string, copies: number): Promise<number | undefined> {
  const [row] = await app.records.query<{ at: string }>(
    'SELECT extract(epoch FROM at) * 1000 AS at FROM destination_turns WHERE destination_name = $name ORDER BY at DESC OFFSET $offset LIMIT 1',
    { bind: { name, offset: copies - 1 }, type: QueryTypes.SELECT },
  );
  return row ? Number(row.at) : undefined;
}

/** Turns that no rate looks back to. */
export async function forgetOldTurns(app: App): Promise<void> {
  await app.records.query(
    `DELETE FROM destination_turns t USING destinations d WHERE d.name = t.destination_name
     AND t.at < clock_timestamp() - interval '1 s' * coalesce((SELECT max((one->>'seconds')::integer) FROM jsonb_array_elements(d.rates) one), 0)`,
  );
}

export const isOwnMail = (name: string): boolean => name === ownMail;
