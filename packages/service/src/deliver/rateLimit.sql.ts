import { failuresToPause, waitFor, type Rate } from '@underbell/core/burst';
import type { DestinationState } from '@underbell/core/deliver';
import { querySql, type App } from '../platform/index.ts';
import { deliveries } from './models.ts';

// Turns are taken by the clock of the database, which all workers share; failures are counted and judged in one statement.

/**
 * Notes that it took nothing; after a few in a row it stops by itself.
 *
 * @param count - how many failures this stands for: where nobody was let in at all, as many as stop it
 * @returns whether it has stopped
 */
export async function noteFailure(app: App, name: string, reason: string, count = 1): Promise<boolean> {
  const [row] = await querySql<{ state: DestinationState }>(
    app,
    `UPDATE destinations SET failures = failures + $count, reason = CASE WHEN state = 'paused' THEN reason ELSE $reason END,
       state = CASE WHEN state = 'ready' AND failures + $count >= $most THEN 'failing' ELSE state END,
       state_at = CASE WHEN state = 'ready' AND failures + $count >= $most THEN $at ELSE state_at END
     WHERE name = $name RETURNING state`,
    { name, reason, count, most: failuresToPause, at: new Date(app.now()) },
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
export async function acquireSlot(app: App, name: string, claim: () => Promise<boolean>): Promise<Turn> {
  return app.records.transaction(async (): Promise<Turn> => {
    const [row] = await querySql<{
      rates: Rate[];
      parallel: number;
      state: DestinationState;
      reason: string | null;
      now: string;
    }>(
      app,
      'SELECT rates, parallel, state, reason, extract(epoch FROM clock_timestamp()) * 1000 AS now FROM destinations WHERE name = $name FOR UPDATE',
      { name },
    );
    if (!row) return { kind: 'stopped', state: 'paused', reason: `the destination ${name} is gone` };
    if (row.state !== 'ready') return { kind: 'stopped', state: row.state, reason: row.reason ?? '' };
    const sending = await deliveries(app).count({ where: { destination: name, state: 'sending' } });
    if (sending >= row.parallel) return { kind: 'wait', ms: crowdedMs, why: '' };
    const latest = await Promise.all(row.rates.map(({ copies }) => latestTurn(app, name, copies)));
    const ms = waitFor(row.rates, latest, Number(row.now));
    if (ms > 0) return { kind: 'wait', ms, why: 'its limit is reached' };
    if (!(await claim())) return { kind: 'gone' };
    if (row.rates.length > 0)
      await querySql(app, 'INSERT INTO destination_turns (destination_name, at) VALUES ($name, clock_timestamp())', {
        name,
      });
    return { kind: 'taken' };
  });
}

/** When the oldest of the latest so many turns was; milliseconds, undefined where there were fewer. */
async function latestTurn(app: App, name: string, copies: number): Promise<number | undefined> {
  const [row] = await querySql<{ at: string }>(
    app,
    'SELECT extract(epoch FROM at) * 1000 AS at FROM destination_turns WHERE destination_name = $name ORDER BY at DESC OFFSET $offset LIMIT 1',
    { name, offset: copies - 1 },
  );
  return row ? Number(row.at) : undefined;
}

/** Turns that no rate looks back to. */
export async function deleteOldSends(app: App): Promise<void> {
  await querySql(
    app,
    `DELETE FROM destination_turns t USING destinations d WHERE d.name = t.destination_name
     AND t.at < clock_timestamp() - interval '1 s' * coalesce((SELECT max((one->>'seconds')::integer) FROM jsonb_array_elements(d.rates) one), 0)`,
  );
}
