import type { App } from './app.ts';
import { querySql } from './records/index.ts';

// Some rows of a table, whichever: a model cannot take away only so many.

/** Rows that one step takes away: few enough that nobody waits for it. */
const stepRows = 1_000;
/** Steps of one round; what is left is for the next. */
const mostSteps = 20;
const dayMs = 86_400_000;

/** What is spent in a table, as a condition with `$before`. */
interface Spent {
  readonly table: string;
  readonly where: string;
  /** How long it is kept after it has ended; milliseconds. */
  readonly keptMs: (app: App) => number;
}

const keys: readonly Spent[] = [
  {
    table: 'jobs',
    where: `state IN ('done', 'failed') AND created_at < $before`,
    keptMs: ({ settings }) => settings.keep.jobsDays * dayMs,
  },
  {
    // A token ends no later than the one that it was made of: those below go first.
    table: 'access_tokens',
    where: `expires_at < $before AND NOT EXISTS (SELECT FROM access_tokens child WHERE child.parent_id = access_tokens.id)`,
    keptMs: ({ settings }) => settings.keep.tokensDays * dayMs,
  },
  { table: 'sessions', where: 'expires_at < $before', keptMs: () => 0 },
  { table: 'used_once', where: 'expires_at < $before', keptMs: () => 0 },
  { table: 'sign_ins', where: 'expires_at < $before', keptMs: () => 0 },
  { table: 'rate_limits', where: `to_timestamp(expire / 1000.0) < $before`, keptMs: () => 0 },
  { table: 'meter', where: 'at < $before', keptMs: ({ settings }) => settings.keep.usageDays * dayMs },
  { table: 'idempotency_keys', where: 'created_at < $before', keptMs: () => dayMs },
  { table: 'chat_heard', where: 'heard_at < $before', keptMs: () => 7 * dayMs },
  { table: 'placement_problems', where: 'hour < $before', keptMs: () => 2 * dayMs },
  { table: 'screen_history', where: 'at < $before', keptMs: () => 90 * dayMs },
  { table: 'screen_pairings', where: 'expires_at < $before', keptMs: () => 0 },
  { table: 'processes', where: 'seen_at < $before', keptMs: () => dayMs },
];

async function sweep(app: App, { table, where, keptMs }: Spent): Promise<number> {
  const before = new Date(app.now() - keptMs(app));
  let gone = 0;
  for (let step = 0; step < mostSteps; step++) {
    const rows = await querySql(
      app,
      `DELETE FROM ${table} WHERE ctid IN (SELECT ctid FROM ${table} WHERE ${where} LIMIT ${stepRows}) RETURNING 1`,
      { before },
    );
    gone += rows.length;
    if (rows.length < stepRows) break;
  }
  return gone;
}

/** Takes away what has ended and is kept no longer, a little at a time. @returns how many rows went, by table */
export async function forgetSpent(app: App): Promise<Readonly<Record<string, number>>> {
  const gone: Record<string, number> = {};
  for (const one of keys) gone[one.table] = await sweep(app, one);
  return gone;
}
