import { QueryTypes } from 'sequelize';
import { binnedKinds, type BinnedKind } from '@underbell/core/access';
import { forgetThing, type App, type Named, type ThingId } from '../platform/index.ts';

/** A thing in the bin. */
export interface BinnedThing {
  readonly kind: BinnedKind;
  readonly name: string;
  readonly title: string;
  readonly deletedAt: Date;
  readonly deletedBy: string;
}

/** @returns whether there was such a thing, outside the bin */
export async function throwAway(app: App, kind: BinnedKind, name: string, by: string): Promise<boolean> {
  const rows = await app.records.query(
    `UPDATE ${app.things.table(kind).table} SET deleted_at = $at, deleted_by = $by
     WHERE name = $name AND deleted_at IS NULL RETURNING name`,
    { bind: { at: new Date(app.now()), by, name }, type: QueryTypes.SELECT },
  );
  return rows.length > 0;
}

/** @returns whether it was in the bin still */
export async function putBack(app: App, kind: BinnedKind, name: string): Promise<boolean> {
  const rows = await app.records.query(
    `UPDATE ${app.things.table(kind).table} SET deleted_at = NULL, deleted_by = NULL
     WHERE name = $name AND deleted_at IS NOT NULL RETURNING name`,
    { bind: { name }, type: QueryTypes.SELECT },
  );
  return rows.length > 0;
}

export async function listBin(app: App): Promise<BinnedThing[]> {
  const of = (kind: BinnedKind) =>
    `SELECT '${kind}' AS kind, name, title, deleted_at AS "deletedAt", deleted_by AS "deletedBy" FROM ${app.things.table(kind).table} WHERE deleted_at IS NOT NULL`;
  return app.records.query<BinnedThing>(`${binnedKinds.map(of).join(' UNION ALL ')} ORDER BY "deletedAt" DESC`, {
    type: QueryTypes.SELECT,
  });
}

export interface Mark {
  readonly kind: BinnedKind;
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
export async function purge(app: App, { kind, name }: Mark, before: Date): Promise<string[] | undefined> {
  const still = await app.records.query(
    `SELECT name FROM ${app.things.table(kind).table} WHERE name = $name AND deleted_at <= $before FOR UPDATE`,
    { bind: { name, before }, type: QueryTypes.SELECT },
  );
  if (still.length === 0) return undefined;
  const tables = await app.things.dataTables({ kind, name });
  // What only it had goes by foreign keys.
  await app.records.query(`DELETE FROM ${app.things.table(kind).table} WHERE name = $name`, { bind: { name } });
  await forgetThing(app, { kind, name });
  return [...tables];
}

const markTables = ['favourites', 'recents'];

/** Favourites and what was looked at follow a thing to its new name. */
export async function followMarks(app: App, { kind, name }: Named, to: string): Promise<void> {
  for (const table of markTables)
    await app.records.query(`UPDATE ${table} SET name = $to WHERE kind = $kind AND name = $from`, {
      bind: { kind, from: name, to },
    });
}

export async function forgetMarks(app: App, { kind, name }: ThingId): Promise<void> {
  for (const table of markTables)
    await app.records.query(`DELETE FROM ${table} WHERE kind = $kind AND name = $name`, { bind: { kind, name } });
}
