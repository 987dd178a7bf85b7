import { factsOf, type ThingKind } from '@underbell/core/access';
import { QueryTypes } from 'sequelize';
import type { App } from './app.ts';
import { recall } from './memory.ts';
import type { FormerName, ThingId, ThingTable } from './things.ts';

const keyOf = ({ key = 'name' }: ThingTable) => key;

/** Which part of a table holds things that are there. */
function there({ kind }: ThingTable): string {
  const { leaving } = factsOf(kind);
  return leaving === 'bin' || leaving === 'kept' ? 'deleted_at IS NULL' : 'true';
}

/** The names of the things of a kind that are there. */
export async function thingNames(app: App, kind: ThingKind): Promise<string[]> {
  const spec = app.things.table(kind);
  const rows = await app.records.query<{ name: string }>(
    `SELECT DISTINCT ${keyOf(spec)} AS name FROM ${spec.table} WHERE ${there(spec)} ORDER BY 1`,
    { type: QueryTypes.SELECT },
  );
  return rows.map((row) => row.name);
}

/** Whether there is a thing of this name. @param options.orBinned - also one that lies in the bin, or left its ledger behind */
export async function isThing(app: App, { kind, name }: ThingId, { orBinned = false } = {}): Promise<boolean> {
  const spec = app.things.table(kind);
  const rows = await app.records.query(
    `SELECT 1 FROM ${spec.table} WHERE ${keyOf(spec)} = $name AND ${orBinned ? 'true' : there(spec)} LIMIT 1`,
    { bind: { name }, type: QueryTypes.SELECT },
  );
  return rows.length > 0;
}

/** The folder that each thing of a kind lies in, for those that lie in one. */
export async function folderOfEach(app: App, kind: ThingKind): Promise<{ name: string; folder: string }[]> {
  const spec = app.things.table(kind);
  const { folderColumn: column } = spec;
  if (column === undefined) return [];
  return app.records.query(
    `SELECT ${keyOf(spec)} AS name, ${column} AS folder FROM ${spec.table} WHERE ${column} IS NOT NULL`,
    { type: QueryTypes.SELECT },
  );
}

/** Gives a thing another name, in its own table and in everything that names it. Wants a transaction around it. */
export async function giveName(app: App, thing: ThingId, to: string): Promise<void> {
  const { kind, name } = thing;
  const spec = app.things.table(kind);
  const bind = { kind, from: name, to };
  // What refers to it in the database follows by its foreign keys.
  await app.records.query(`UPDATE ${spec.table} SET ${keyOf(spec)} = $to WHERE ${keyOf(spec)} = $from`, {
    bind: { from: name, to },
  });
  await app.things.follow(thing, to);
  await app.records.query('DELETE FROM former_names WHERE kind = $kind AND name = $to', { bind: { kind, to } });
  await app.records.query('UPDATE former_names SET now_name = $to WHERE kind = $kind AND now_name = $from', { bind });
  await app.records.query('INSERT INTO former_names (kind, name, now_name) VALUES ($kind, $from, $to)', { bind });
}

/** What a thing is called now that had this name; undefined where none had, or another has it by now. */
export async function nameNow(app: App, { kind, name }: ThingId): Promise<string | undefined> {
  return recall(`name now of ${kind} ${name}`, async () => {
    const [row] = await app.records.query<{ now_name: string }>(
      'SELECT now_name FROM former_names WHERE kind = $kind AND name = $name',
      { bind: { kind, name }, type: QueryTypes.SELECT },
    );
    if (!row || (await isThing(app, { kind, name }))) return undefined;
    return row.now_name;
  });
}

/** Lets every capability forget a thing that is gone for good. Wants a transaction around it. */
export async function forgetThing(app: App, thing: ThingId): Promise<void> {
  await app.things.forget(thing);
  const { kind, name } = thing;
  await app.records.query('DELETE FROM former_names WHERE kind = $kind AND now_name = $name', { bind: { kind, name } });
}

export async function formerNames(app: App): Promise<FormerName[]> {
  return app.records.query<FormerName>(
    'SELECT kind, name, now_name AS now FROM former_names ORDER BY kind, now_name, name',
    { type: QueryTypes.SELECT },
  );
}

export async function forgetFormerName(app: App, { kind, name }: ThingId): Promise<void> {
  await app.records.query('DELETE FROM former_names WHERE kind = $kind AND name = $name', { bind: { kind, name } });
}
