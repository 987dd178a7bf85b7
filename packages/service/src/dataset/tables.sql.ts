import { querySql, type App, type ThingId } from '../platform/index.ts';

// Tables that the server's catalogue tells of, revisions that stand in documents of runs, and the lock that loads hold.

/** Revisions that runs are bound to which have not ended. Which runs there are is the sending's affair; this is all that is known here. */
export async function boundRevisions(app: App): Promise<number[]> {
  const rows = await querySql<{ id: string }>(
    app,
    `SELECT DISTINCT one.value AS id FROM runs, jsonb_each_text(runs.revisions) AS one
     WHERE runs.state IN ('held', 'waiting', 'running', 'paused')`,
  );
  return rows.map((row) => Number(row.id));
}

/** Tables of rows that no revision owns any more, or that a load left which ended otherwise. */
export async function strayTables(app: App): Promise<string[]> {
  const rows = await querySql<{ name: string }>(
    app,
    `SELECT tablename AS name FROM pg_tables WHERE schemaname = 'data' AND NOT EXISTS (
       SELECT FROM revisions WHERE table_name = tablename AND state IN ('ready', 'loading'))`,
  );
  return rows.map((row) => row.name);
}

/** What is under way with a dataset; none begins under its name while the transaction goes on. */
export async function loadsOf(app: App, { kind, name }: ThingId): Promise<string[]> {
  if (kind !== 'dataset') return [];
  const [lock] = await querySql<{ held: boolean }>(
    app,
    'SELECT pg_try_advisory_xact_lock(730002, hashtext($name)) AS held',
    { name },
  );
  return lock!.held ? [] : [`dataset ${name} is being loaded`];
}
