import { Op, Transaction } from 'sequelize';
import { trashableKinds, type BinnedKind } from '@underbell/core/access';
import { deleteResourceData, rows, type App, type Named, type ThingId } from '../platform/index.ts';
import { favourites, recents } from './models.ts';
import { type BinnedThing } from '@underbell/core/folder';

const tableOf = (app: App, kind: BinnedKind) => app.things.table(kind).model(app);

/** @returns whether there was such a thing, outside the bin */
export async function moveToTrash(app: App, kind: BinnedKind, name: string, by: string): Promise<boolean> {
  const change = { deletedAt: new Date(app.now()), deletedBy: by };
  const [changed] = await tableOf(app, kind).update(change, { where: { name, deletedAt: null } });
  return changed > 0;
}

/** @returns whether it was in the bin still */
export async function putBack(app: App, kind: BinnedKind, name: string): Promise<boolean> {
  const where = { name, deletedAt: { [Op.ne]: null } };
  const [changed] = await tableOf(app, kind).update({ deletedAt: null, deletedBy: null }, { where });
  return changed > 0;
}

/** What was thrown away last comes first. */
export async function listBin(app: App): Promise<Omit<BinnedThing<Date>, 'until'>[]> {
  const of = async (kind: BinnedKind) => {
    const found = await tableOf(app, kind).findAll({
      attributes: ['name', 'title', 'deletedAt', 'deletedBy'],
      where: { deletedAt: { [Op.ne]: null } },
      raw: true,
    });
    return (found as unknown as Omit<BinnedThing<Date>, 'kind' | 'until'>[]).map((row) => ({ kind, ...row }));
  };
  const binned = (await Promise.all(trashableKinds.map(of))).flat();
  return binned.sort((a, b) => b.deletedAt.getTime() - a.deletedAt.getTime());
}

export interface Mark {
  readonly kind: BinnedKind;
  readonly name: string;
}

export async function listFavourites(app: App, personId: string): Promise<Mark[]> {
  const found = await rows(favourites(app), { where: { personId }, order: ['kind', 'name'] });
  return found.map(({ kind, name }) => ({ kind, name }));
}

export async function setFavourite(app: App, personId: string, mark: Mark, isWanted: boolean): Promise<void> {
  const row = { personId, ...mark };
  if (isWanted) await favourites(app).bulkCreate([row], { ignoreDuplicates: true });
  else await favourites(app).destroy({ where: row });
}

const keptRecents = 30;
const shownRecents = 10;

/** Remembers that somebody looked at a thing; the oldest of many are forgotten. */
export async function noteLook(app: App, personId: string, { kind, name }: Mark): Promise<void> {
  await recents(app).upsert({ personId, kind, name, at: new Date(app.now()) });
  const [oldest] = await rows(recents(app), {
    where: { personId },
    order: [['at', 'DESC']],
    offset: keptRecents,
    limit: 1,
  });
  if (oldest) await recents(app).destroy({ where: { personId, at: { [Op.lte]: oldest.at } } });
}

export async function listRecents(app: App, personId: string): Promise<(Mark & { at: Date })[]> {
  const found = await rows(recents(app), { where: { personId }, order: [['at', 'DESC']], limit: shownRecents });
  return found.map(({ kind, name, at }) => ({ kind, name, at }));
}

/**
 * Removes a thing for good, with everything that only it had.
 *
 * @param before - only if it was thrown away until then: somebody may have taken it out meanwhile
 * @returns data tables to be dropped; undefined where it was not removed
 */
export async function purge(app: App, { kind, name }: Mark, before: Date): Promise<string[] | undefined> {
  const where = { name, deletedAt: { [Op.lte]: before } };
  const still = await tableOf(app, kind).findOne({ where, attributes: ['name'], lock: Transaction.LOCK.UPDATE });
  if (still === null) return undefined;
  const tables = await app.things.dataTables({ kind, name });
  // What only it had goes by foreign keys.
  await tableOf(app, kind).destroy({ where: { name } });
  await deleteResourceData(app, { kind, name });
  return [...tables];
}

const isBinned = (kind: Named['kind']): kind is BinnedKind => (trashableKinds as readonly string[]).includes(kind);

/** Favourites and what was looked at follow a thing to its new name. */
export async function followMarks(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (!isBinned(kind)) return;
  await favourites(app).update({ name: to }, { where: { kind, name } });
  await recents(app).update({ name: to }, { where: { kind, name } });
}

export async function forgetMarks(app: App, { kind, name }: ThingId): Promise<void> {
  if (!isBinned(kind)) return;
  await favourites(app).destroy({ where: { kind, name } });
  await recents(app).destroy({ where: { kind, name } });
}
