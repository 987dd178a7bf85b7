import { Op } from 'sequelize';
import type { Grant, Thing, ThingKind } from '@underbell/core/access';
import { folderOfEach, recall, type App, type Named, type ThingId } from '../platform/index.ts';
import { emailsById, idOfEmail } from './store.ts';
import { accessRequests, folders, grants, type GrantRow, type FolderRow } from './models.ts';

/** A grant with its number, by which it is taken back; who gave it, by address. */
export type StoredGrant = Grant & {
  readonly id: number;
  readonly givenBy: string;
  readonly boundedBy?: string;
};

export async function listGrants(app: App): Promise<readonly StoredGrant[]> {
  return recall('grants', () => readGrants(app));
}

/** Grants are held by persons, who are told by their addresses of today. */
async function readGrants(app: App): Promise<StoredGrant[]> {
  const [rows, emails] = await Promise.all([
    grants(app).findAll({ order: ['id'], raw: true }) as unknown as Promise<GrantRow[]>,
    emailsById(app),
  ]);
  return rows.flatMap((row): StoredGrant[] => {
    const { holderKind: kind } = row;
    const name = kind === 'person' ? emails.get(row.holderName) : row.holderName;
    if (name === undefined) return [];
    return [
      {
        id: row.id,
        holder: kind === 'everyone' ? { kind } : { kind, name },
        thing: { kind: row.thingKind, name: row.thingName },
        level: row.level,
        canPassOn: row.canPassOn,
        givenBy: emails.get(row.givenBy) ?? '',
        ...(row.boundedBy === null ? {} : { boundedBy: row.boundedBy }),
      },
    ];
  });
}

/** Makes whoever made a new thing its owner. */
export function putOwner(app: App, maker: { readonly email: string }, thing: Thing): Promise<void> {
  return putGrant(app, { holder: { kind: 'person', name: maker.email }, thing, level: 'own' });
}

/** @throws {Refusal} `NOT_FOUND` for a person that there is not */
export async function putGrant(
  app: App,
  grant: Grant,
  by: { readonly givenBy?: string; readonly boundedBy?: string | null } = {},
): Promise<void> {
  const { holder, thing, level, canPassOn = false } = grant;
  const where = {
    holderKind: holder.kind,
    holderName:
      holder.kind === 'everyone' ? '' : holder.kind === 'person' ? await idOfEmail(app, holder.name) : holder.name,
    thingKind: thing.kind,
    thingName: thing.name,
  };
  const rest = { level, canPassOn, givenBy: by.givenBy ?? '', boundedBy: by.boundedBy ?? null };
  const [row] = await grants(app).findOrCreate({ where, defaults: { ...where, ...rest } });
  await row.update(rest);
}

/** Takes back everything that a program holds on things of a kind, but for some. */
export async function removeClientGrants(
  app: App,
  client: string,
  kept: { readonly kind?: ThingKind; readonly names: readonly string[] },
): Promise<void> {
  const where = {
    holderKind: 'client' as const,
    holderName: client,
    ...(kept.kind ? { thingKind: kept.kind, thingName: { [Op.notIn]: [...kept.names] } } : {}),
  };
  await grants(app).destroy({ where: where as never });
}

export async function removeGrant(app: App, id: number): Promise<void> {
  await grants(app).destroy({ where: { id } });
}

export async function listFolders(app: App): Promise<FolderRow[]> {
  return (await folders(app).findAll({ order: ['name'], raw: true })) as unknown as FolderRow[];
}

export async function putFolder(app: App, folder: FolderRow): Promise<void> {
  await folders(app).upsert(folder);
}

/** The folders of each thing of a kind that lies in one, from the nearest outwards. */
export async function foldersOf(app: App, kind: ThingKind): Promise<ReadonlyMap<string, string[]>> {
  return recall(`folders of ${kind}`, () => readFoldersOf(app, kind));
}

async function readFoldersOf(app: App, kind: ThingKind): Promise<Map<string, string[]>> {
  const [things, folders] = await Promise.all([folderOfEach(app, kind), listFolders(app)]);
  const parents = new Map(folders.map((one) => [one.name, one.parentName]));
  return new Map(things.map(({ name, folder }) => [name, pathOf(folder, parents)]));
}

function pathOf(folder: string, parents: ReadonlyMap<string, string | null>): string[] {
  const path: string[] = [];
  for (let at: string | null | undefined = folder; at && !path.includes(at); at = parents.get(at)) path.push(at);
  return path;
}

/** Puts a thing that lies in folders into one, or takes it out. */
export async function moveThing(app: App, thing: ThingId, folder: string | null): Promise<void> {
  const { model, folder: column } = app.things.table(thing.kind);
  if (column === undefined) throw new Error(`a ${thing.kind} lies in no folder`);
  await model(app).update({ [column]: folder }, { where: { name: thing.name } });
}

/** Rights and requests follow a thing to its new name. */
export async function followGrants(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (kind === 'group' || kind === 'attribute') return;
  const where = { thingKind: kind, thingName: name };
  await grants(app).update({ thingName: to }, { where });
  if (kind === 'screen' || kind === 'screen-group')
    await grants(app).update({ holderName: to }, { where: { holderKind: kind, holderName: name } });
  await accessRequests(app).update({ thingName: to }, { where });
  if (kind === 'placement') await accessRequests(app).update({ placementName: to }, { where: { placementName: name } });
}

/** Rights go with a thing, so that another of its name is reached by nobody who could reach this one. */
export async function forgetGrants(app: App, { kind, name }: ThingId): Promise<void> {
  await grants(app).destroy({ where: { thingKind: kind, thingName: name } });
  if (kind === 'screen' || kind === 'screen-group')
    await grants(app).destroy({ where: { holderKind: kind, holderName: name } });
}
