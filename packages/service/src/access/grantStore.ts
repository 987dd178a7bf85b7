import { QueryTypes, type Transaction } from 'sequelize';
import type { Grant, GrantHolder, RightLevel, Thing, ThingKind } from '@underbell/core/access';
import { defineRecord, recall, type App } from '../platform/index.ts';

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
  /** The folder that it lies in. */
  parentName: string | null;
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
  folders: defineRecord<FolderRow>(app.records, 'folders', { name: 'key', title: 'text', parentName: 'text' }),
});

const holderOf = (row: GrantRow): GrantHolder =>
  row.holderKind === 'everyone' ? { kind: 'everyone' } : { kind: row.holderKind, name: row.holderName };

export async function listGrants(app: App): Promise<readonly StoredGrant[]> {
  return recall('grants', () => readGrants(app));
}

async function readGrants(app: App): Promise<StoredGrant[]> {
  const rows = (await tables(app).grants.findAll({ order: ['id'], raw: true })) as unknown as GrantRow[];
  return rows.map((row) => ({
    id: row.id,
    holder: holderOf(row),
    thing: { kind: row.thingKind, name: row.thingName },
    level: row.level,
    canPassOn: row.canPassOn,
    givenBy: row.givenBy,
  }));
}

/** Makes whoever made a new thing its owner. */
export function putOwner(
  app: App,
  maker: { readonly email: string },
  thing: Thing,
  transaction: Transaction,
): Promise<void> {
  return putGrant(app, { holder: { kind: 'person', name: maker.email }, thing, level: 'own' }, transaction);
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
  return (await tables(app).folders.findAll({ order: ['name'], raw: true })) as unknown as FolderRow[];
}

export async function putFolder(app: App, folder: FolderRow, transaction: Transaction): Promise<void> {
  await tables(app).folders.upsert(folder, { transaction });
}

/** Kinds that lie in folders. */
export type FoldedKind = 'report' | 'board' | 'dataset';
const folderTables: Partial<Record<ThingKind, string>> = { report: 'reports', board: 'boards', dataset: 'datasets' };

/** The folders of each thing of a kind that lies in one, from the nearest outwards. */
export async function foldersOf(app: App, kind: ThingKind): Promise<ReadonlyMap<string, string[]>> {
  return recall(`folders of ${kind}`, () => readFoldersOf(app, kind));
}

async function readFoldersOf(app: App, kind: ThingKind): Promise<Map<string, string[]>> {
  const table = kind === 'folder' ? 'folders' : folderTables[kind];
  if (table === undefined) return new Map();
  const column = kind === 'folder' ? 'parent_name' : 'folder_name';
  const [things, folders] = await Promise.all([
    app.records.query<{ name: string; folder: string }>(
      `SELECT name, ${column} AS folder FROM ${table} WHERE ${column} IS NOT NULL`,
      { type: QueryTypes.SELECT },
    ),
    listFolders(app),
  ]);
  const parents = new Map(folders.map((one) => [one.name, one.parentName]));
  return new Map(things.map(({ name, folder }) => [name, pathOf(folder, parents)]));
}

function pathOf(folder: string, parents: ReadonlyMap<string, string | null>): string[] {
  const path: string[] = [];
  for (let at: string | null | undefined = folder; at && !path.includes(at); at = parents.get(at)) path.push(at);
  return path;
}

/** Puts a report, board or dataset into a folder, or takes it out. */
export async function moveThing(
  app: App,
  thing: { kind: FoldedKind; name: string },
  folder: string | null,
  transaction: Transaction,
): Promise<void> {
  await app.records.query(`UPDATE ${folderTables[thing.kind]} SET folder_name = $folder WHERE name = $name`, {
    bind: { folder, name: thing.name },
    transaction,
  });
}
