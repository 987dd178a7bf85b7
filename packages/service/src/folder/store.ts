import { QueryTypes, type Transaction } from 'sequelize';
import type { App } from '../platform/index.ts';

/** Kinds of things that lie in folders, can be found, kept at hand and thrown away. */
export type BinKind = 'report' | 'board' | 'dataset';
export const binKinds: readonly BinKind[] = ['report', 'board', 'dataset'];
const tables: Readonly<Record<BinKind, string>> = { report: 'reports', board: 'boards', dataset: 'datasets' };

/** A thing in the bin. */
export interface BinnedThing {
  readonly kind: BinKind;
  readonly name: string;
  readonly title: string;
  readonly deletedAt: Date;
  readonly deletedBy: string;
}

/** @returns whether there was such a thing, outside the bin */
export async function throwAway(
  app: App,
  kind: BinKind,
  name: string,
  by: string,
  transaction: Transaction,
): Promise<boolean> {
  const rows = await app.records.query(
    `UPDATE ${tables[kind]} SET deleted_at = $at, deleted_by = $by
     WHERE name = $name AND deleted_at IS NULL RETURNING name`,
    { bind: { at: new Date(app.now()), by, name }, type: QueryTypes.SELECT, transaction },
  );
  return rows.length > 0;
}

/** @returns whether it was in the bin still */
export async function putBack(app: App, kind: BinKind, name: string, transaction: Transaction): Promise<boolean> {
  const rows = await app.records.query(
    `UPDATE ${tables[kind]} SET deleted_at = NULL, deleted_by = NULL
     WHERE name = $name AND deleted_at IS NOT NULL RETURNING name`,
    { bind: { name }, type: QueryTypes.SELECT, transaction },
  );
  return rows.length > 0;
}

export async function listBin(app: App): Promise<BinnedThing[]> {
  const of = (kind: BinKind) =>
    `SELECT '${kind}' AS kind, name, title, deleted_at AS "deletedAt", deleted_by AS "deletedBy" FROM ${tables[kind]} WHERE deleted_at IS NOT NULL`;
  return app.records.query<BinnedThing>(`${binKinds.map(of).join(' UNION ALL ')} ORDER BY "deletedAt" DESC`, {
    type: QueryTypes.SELECT,
  });
}

export interface Mark {
  readonly kind: BinKind;
  readonly name: string;
}

export async function listFavourites(app: App, personId: string): Promise<Mark[]> {
  return app.records.query<Mark>('SELECT kind, name FROM favourites WHERE person_id = :personId ORDER BY kind, name', {
    replacements: { personId },
    type: QueryTypes.SELECT,
  });
}

export async function setFavourite(app: App, personId: string, mark: Mark, isWanted: boolean): Promise<void> {
  const sql = isWanted
    ? 'INSERT INTO favourites (person_id, kind, name) VALUES (:personId, :kind, :name) ON CONFLICT DO NOTHING'
    : 'DELETE FROM favourites WHERE person_id = :personId AND kind = :kind AND name = :name';
  await app.records.query(sql, { replacements: { personId, ...mark } });
}

const keptRecents = 30;

/** Remembers that somebody looked at a thing; the oldest of many are forgotten. */
export async function noteLook(app: App, personId: string, { kind, name }: Mark): Promise<void> {
  await app.records.query(
    `INSERT INTO recents (person_id, kind, name, at) VALUES (:personId, :kind, :name, :at)
     ON CONFLICT (person_id, kind, name) DO UPDATE SET at = excluded.at`,
    { replacements: { personId, kind, name, at: new Date(app.now()) } },
  );
  await app.records.query(
    `DELETE FROM recents WHERE person_id = :personId AND at < (SELECT at FROM recents WHERE person_id = :personId ORDER BY at DESC OFFSET :kept LIMIT 1)`,
    { replacements: { personId, kept: keptRecents } },
  );
}

export async function listRecents(app: App, personId: string): Promise<(Mark & { at: Date })[]> {
  return app.records.query<Mark & { at: Date }>(
    'SELECT kind, name, at FROM recents WHERE person_id = :personId ORDER BY at DESC LIMIT 10',
    { replacements: { personId }, type: QueryTypes.SELECT },
  );
}

/**
 * Removes a thing for good, with everything that only it had.
 *
 * @param before - only if it was thrown away until then: somebody may have taken it out meanwhile
 * @returns data tables to be dropped; undefined where it was not removed
 */
export async function purge(
  app: App,
  { kind, name }: Mark,
  before: Date,
  transaction: Transaction,
): Promise<string[] | undefined> {
  const still = await app.records.query(
    `SELECT name FROM ${tables[kind]} WHERE name = $name AND deleted_at <= $before FOR UPDATE`,
    { bind: { name, before }, type: QueryTypes.SELECT, transaction },
  );
  if (still.length === 0) return undefined;
  const run = (sql: string) => app.records.query(sql, { bind: { name }, transaction });
  await app.records.query('DELETE FROM grants WHERE thing_kind = $kind AND thing_name = $name', {
    bind: { kind, name },
    transaction,
  });
  for (const table of ['favourites', 'recents'])
    await app.records.query(`DELETE FROM ${table} WHERE kind = $kind AND name = $name`, {
      bind: { kind, name },
      transaction,
    });
  if (kind === 'board') {
    await run('DELETE FROM boards WHERE name = $name');
    return [];
  }
  if (kind === 'report') {
    await run('DELETE FROM placements WHERE report_name = $name');
    await run('DELETE FROM editions WHERE report_name = $name');
    await run('DELETE FROM reports WHERE name = $name');
    return [];
  }
  const rows = await app.records.query<{ table_name: string }>(
    `SELECT table_name FROM revisions WHERE dataset_name = :name AND state = 'ready'`,
    { replacements: { name }, type: QueryTypes.SELECT, transaction },
  );
  await run('UPDATE datasets SET revision_id = NULL WHERE name = $name');
  for (const table of ['revisions', 'record_rules', 'masks'])
    await run(`DELETE FROM ${table} WHERE dataset_name = $name`);
  await run('DELETE FROM datasets WHERE name = $name');
  return rows.map((row) => row.table_name);
}
