import { QueryTypes, type Transaction } from 'sequelize';
import type { Grant, GrantHolder, RightLevel, ThingKind } from '@underbell/core/access';
import { defineRecord, plain, type App } from '../platform/index.ts';

interface GrantRow {
  id: number;
  holderKind: 'person' | 'group' | 'everyone';
  holderName: string;
  thingKind: ThingKind;
  thingName: string;
  level: RightLevel;
  canPassOn: boolean;
  givenBy: string;
}

export interface FolderRow {
  name: string;
  title: string;
}

/** A grant with its number, by which it is taken back. */
export type StoredGrant = Grant & { readonly id: number; readonly givenBy: string };

const tables = (app: App) => ({
  grants: defineRecord<GrantRow>(app.records, 'grants', {
    id: 'serial',
    holderKind: 'text',
    holderName: 'text',
    thingKind: 'text',
    thingName: 'text',
    level: 'text',
    canPassOn: 'boolean',
    givenBy: 'text',
  }),
  folders: defineRecord<FolderRow>(app.records, 'folders', { name: 'key', title: 'text' }),
});

const holderOf = (row: GrantRow): GrantHolder =>
  row.holderKind === 'everyone' ? { kind: 'everyone' } : { kind: row.holderKind, name: row.holderName };

export async function listGrants(app: App): Promise<StoredGrant[]> {
  const rows = await tables(app).grants.findAll({ order: ['id'] });
  return rows.map(plain).map((row) => ({
    id: row.id,
    holder: holderOf(row),
    thing: { kind: row.thingKind, name: row.thingName },
    level: row.level,
    canPassOn: row.canPassOn,
    givenBy: row.givenBy,
  }));
}

export async function putGrant(app: App, grant: Grant, transaction?: Transaction, givenBy = ''): Promise<void> {
  const { holder, thing, level, canPassOn = false } = grant;
  const where = {
    holderKind: holder.kind,
    holderName: holder.kind === 'everyone' ? '' : holder.name,
    thingKind: thing.kind,
    thingName: thing.name,
  };
  const { grants } = tables(app);
  const [row] = await grants.findOrCreate({ where, defaults: { ...where, level, canPassOn, givenBy }, transaction });
  await row.update({ level, canPassOn, givenBy }, { transaction });
}

export async function removeGrant(app: App, id: number, transaction: Transaction): Promise<void> {
  await tables(app).grants.destroy({ where: { id }, transaction });
}

export async function listFolders(app: App): Promise<FolderRow[]> {
  return (await tables(app).folders.findAll({ order: ['name'] })).map(plain);
}

export async function putFolder(app: App, folder: FolderRow, transaction: Transaction): Promise<void> {
  await tables(app).folders.upsert(folder, { transaction });
}

const folderTables: Partial<Record<ThingKind, string>> = { report: 'reports', dataset: 'datasets' };

/** The folder of each thing of a kind that lies in one. */
export async function foldersOf(app: App, kind: ThingKind): Promise<Map<string, string>> {
  const table = folderTables[kind];
  if (table === undefined) return new Map();
  const rows = await app.records.query<{ name: string; folder_name: string }>(
    `SELECT name, folder_name FROM ${table} WHERE folder_name IS NOT NULL`,
    { type: QueryTypes.SELECT },
  );
  return new Map(rows.map((row) => [row.name, row.folder_name]));
}

/** Puts a report or dataset into a folder, or takes it out. */
export async function moveThing(
  app: App,
  thing: { kind: 'report' | 'dataset'; name: string },
  folder: string | null,
  transaction: Transaction,
): Promise<void> {
  await app.records.query(`UPDATE ${folderTables[thing.kind]} SET folder_name = $folder WHERE name = $name`, {
    bind: { folder, name: thing.name },
    transaction,
  });
}
