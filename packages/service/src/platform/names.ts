import { kindInfo, isPeopleKind, type ThingKind } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { col, fn, Op } from 'sequelize';
import type { App } from './app.ts';
import { recall } from './memory.ts';
import { formerNameRows } from './models.ts';
import { lockResource, one, rows } from './records/index.ts';
import type { Redirect } from '@underbell/core/folder';
import type { Named, NamedTable, ThingId } from './resources.ts';

const keyOf = ({ key = 'name' }: NamedTable) => key;

/** Which rows of a table are of things that are there. */
function there({ kind }: NamedTable): { deletedAt?: null } {
  if (isPeopleKind(kind)) return {};
  const { deletion } = kindInfo(kind);
  return deletion === 'bin' || deletion === 'kept' ? { deletedAt: null } : {};
}

/** The names of the things of a kind that are there. */
export async function thingNames(app: App, kind: ThingKind): Promise<string[]> {
  const spec = app.things.table(kind);
  const found = await spec.model(app).findAll({
    // Some have a row for each of their versions.
    attributes: [[fn('DISTINCT', col(keyOf(spec))), 'name']],
    where: there(spec),
    order: [[col('name'), 'ASC']],
    raw: true,
  });
  return (found as unknown as { name: string }[]).map((row) => row.name);
}

/** Whether there is a thing of this name. @param options.orBinned - also one that lies in the bin, or left its ledger behind */
export async function isThing(app: App, { kind, name }: Named, { orBinned = false } = {}): Promise<boolean> {
  const spec = app.things.namedTable(kind);
  const where = { [keyOf(spec)]: name, ...(orBinned ? {} : there(spec)) };
  return (await spec.model(app).findOne({ where, attributes: [keyOf(spec)], raw: true })) !== null;
}

/**
 * Holds a name until the transaction ends, for whoever writes what it names: what was looked at before still stands.
 *
 * @param wasKnown - whether there was such a thing when rights on it were decided
 * @throws {Refusal} `NAME_TAKEN`, `NOT_FOUND` where that changed meanwhile
 */
export async function holdName(app: App, { kind, name }: ThingId, wasKnown: boolean): Promise<void> {
  await lockResource(app, kind, name);
  if ((await isThing(app, { kind, name })) === wasKnown) return;
  const about = { word: name, hint: 'Reload and try again.' };
  throw wasKnown
    ? new Refusal('NOT_FOUND', `The ${kind} “${name}” was deleted or renamed at this moment.`, about)
    : new Refusal('NAME_TAKEN', `Another user named a ${kind} “${name}” at this moment.`, about);
}

/** The folder that each thing of a kind lies in, for those that lie in one. */
export async function folderOfEach(app: App, kind: ThingKind): Promise<{ name: string; folder: string }[]> {
  const spec = app.things.table(kind);
  const { folder } = spec;
  if (folder === undefined) return [];
  const key = keyOf(spec);
  const found = await spec
    .model(app)
    .findAll({ attributes: [key, folder], where: { [folder]: { [Op.ne]: null } }, raw: true });
  return (found as unknown as Record<string, string>[]).map((row) => ({ name: row[key]!, folder: row[folder]! }));
}

/** Gives a thing another name, in its own table and in everything that names it. Wants a transaction around it. */
export async function giveName(app: App, thing: ThingId, to: string): Promise<void> {
  const { kind, name } = thing;
  const spec = app.things.table(kind);
  // What refers to it in the database follows by its foreign keys.
  await spec.model(app).update({ [keyOf(spec)]: to }, { where: { [keyOf(spec)]: name } });
  await app.things.follow(thing, to);
  await keepFormerName(app, thing, to);
}

/** Lets a name lead to what has another one now. Wants a transaction around it. */
export async function keepFormerName(app: App, { kind, name }: Named, to: string): Promise<void> {
  await formerNameRows(app).destroy({ where: { kind, name: to } });
  await formerNameRows(app).update({ nowName: to }, { where: { kind, nowName: name } });
  await formerNameRows(app).create({ kind, name, nowName: to });
}

/** What a thing is called now that had this name; undefined where none had, or another has it by now. */
export async function nameNow(app: App, { kind, name }: Named): Promise<string | undefined> {
  return recall(`name now of ${kind} ${name}`, async () => {
    const row = await one(formerNameRows(app).findOne({ where: { kind, name } }));
    if (!row || (await isThing(app, { kind, name }))) return undefined;
    return row.nowName;
  });
}

/** Lets every capability forget a thing that is gone for good. Wants a transaction around it. */
export async function deleteResourceData(app: App, thing: ThingId): Promise<void> {
  await app.things.forget(thing);
  await forgetFormerNames(app, thing);
}

/** Lets nothing lead any more to what is gone. */
export async function forgetFormerNames(app: App, { kind, name }: Named): Promise<void> {
  await formerNameRows(app).destroy({ where: { kind, nowName: name } });
}

export async function redirects(app: App): Promise<Redirect[]> {
  const found = await rows(formerNameRows(app), { order: ['kind', 'nowName', 'name'] });
  return found.map(({ kind, name, nowName }) => ({ kind, name, now: nowName }));
}

export async function forgetFormerName(app: App, { kind, name }: Named): Promise<void> {
  await formerNameRows(app).destroy({ where: { kind, name } });
}
