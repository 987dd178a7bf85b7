import type { PersonViewer } from '@underbell/core/access';
import type { AttributeType, ScreenAttribute, ShownGroup } from '@underbell/core/screen';
import { Refusal } from '@underbell/core/refusal';
import { notFound, putOwner, requireAdministrator, requireAuthor, requireRight, rightsFor } from '../access/index.ts';
import { announce, emit, deleteResourceData, holdName, lockResource, remember, type App } from '../platform/index.ts';
import { screenAttributes, screenGroups, type GroupRow } from './models.ts';
import {
  countScreens,
  findGroup,
  listAttributes,
  listGroups,
  listScreens,
  livingInterruptions,
  removeTarget,
} from './store.ts';

const resourceIdOf = (name: string) => ({ kind: 'screen-group', name }) as const;

/** A group of screens that somebody has a right on. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function requireGroup(
  app: App,
  person: PersonViewer,
  name: string,
  level: 'view' | 'edit' | 'own' = 'view',
): Promise<GroupRow & { readonly right: ShownGroup['right'] }> {
  const right = await requireRight(app, person, level, 'screen-group', name);
  const row = await findGroup(app, name);
  if (row) return { ...row, right: right.level };
  throw notFound(
    'screen-group',
    name,
    (await listGroups(app)).map((one) => one.name),
  );
}

async function shown(app: App, row: GroupRow, right: ShownGroup['right']): Promise<ShownGroup<Date>> {
  const { name, title, worryMinutes, leaseHours, otherwise } = row;
  const living = await livingInterruptions(app, name);
  return {
    name,
    title,
    worryMinutes,
    leaseHours,
    otherwise,
    right,
    screens: await countScreens(app, name),
    interruptions: living.map(({ id, slot, madeBy, madeAt, until }) => ({ id, slot, by: madeBy, from: madeAt, until })),
  };
}

/** The groups that somebody may see. */
export async function seenGroups(app: App, person: PersonViewer): Promise<ShownGroup<Date>[]> {
  const right = rightsFor(app, person);
  const found: ShownGroup<Date>[] = [];
  for (const row of await listGroups(app)) {
    const own = await right(resourceIdOf(row.name));
    if (own) found.push(await shown(app, row, own.level));
  }
  return found;
}

export async function showGroup(app: App, person: PersonViewer, name: string): Promise<ShownGroup<Date>> {
  const { right, ...row } = await requireGroup(app, person, name);
  return shown(app, row, right);
}

export type GroupWish = Omit<GroupRow, 'name' | 'makerId'>;

/** Makes a group of screens, or changes it. @throws {Refusal} `NOT_ALLOWED` */
export async function saveGroup(
  app: App,
  person: PersonViewer,
  name: string,
  wish: GroupWish,
  origin: string,
): Promise<ShownGroup<Date>> {
  const known = await findGroup(app, name);
  if (known) await requireRight(app, person, 'edit', 'screen-group', name);
  else await requireAuthor(app, person, 'screen-group');
  await app.records.transaction(async () => {
    await holdName(app, resourceIdOf(name), known !== undefined);
    const before = await findGroup(app, name);
    const row: GroupRow = { name, ...wish, makerId: before?.makerId ?? person.id };
    await screenGroups(app).upsert(row);
    if (!before) await putOwner(app, person, resourceIdOf(name));
    const what = before ? 'group of screens changed' : 'group of screens added';
    await remember(app, { who: person.email, what, thing: `screen-group ${name}`, origin, before, after: row });
    await announce(app, resourceIdOf(name));
  });
  return showGroup(app, person, name);
}

/** Takes a group away that has no screens. @throws {Refusal} `IN_USE` */
export async function removeGroup(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  const { right: _, ...before } = await requireGroup(app, person, name, 'own');
  await app.records.transaction(async () => {
    await lockResource(app, 'screen-group', name);
    const held = await countScreens(app, name);
    if (held > 0)
      throw new Refusal('IN_USE', `Group “${name}” still has ${held} screens.`, {
        hint: 'Unpair them, or move them to another group.',
      });
    await screenGroups(app).destroy({ where: { name } });
    // Another of its name shows nothing that was published to this one.
    await removeTarget(app, { targetKind: 'screen-group', targetName: name });
    await deleteResourceData(app, resourceIdOf(name));
    await remember(app, {
      who: person.email,
      what: 'screen group deleted',
      thing: `screen-group ${name}`,
      origin,
      before,
    });
    await emit(app, 'thing.gone', { thing: resourceIdOf(name) });
  });
}

/** A value of each type, for filters that are checked before any screen has one. */
export const attributeSamples: Readonly<Record<AttributeType, string>> = {
  text: 'x',
  number: '0',
  boolean: 'true',
  date: '2026-01-01',
};

export async function declaredAttributes(app: App): Promise<ScreenAttribute[]> {
  return (await listAttributes(app)).map(({ name, label, type }) => ({ name, label, type }));
}

/**
 * Says what may be said of screens; for administrators.
 *
 * @throws {Refusal} `NOT_ALLOWED`, `IN_USE` for one that a screen says something by, when it would go or get another type
 */
export async function declareAttributes(
  app: App,
  person: PersonViewer,
  wish: readonly ScreenAttribute[],
  origin: string,
): Promise<ScreenAttribute[]> {
  requireAdministrator(person);
  await app.records.transaction(async () => {
    await lockResource(app, 'screen', '*');
    const before = await declaredAttributes(app);
    const used = new Map<string, string>();
    for (const one of await listScreens(app))
      for (const name of Object.keys(one.attributes)) if (!used.has(name)) used.set(name, one.name);
    const types = new Map<string, AttributeType>(wish.map((one) => [one.name, one.type]));
    for (const { name, type } of before) {
      const screen = used.get(name);
      if (screen === undefined || types.get(name) === type) continue;
      throw new Refusal('IN_USE', `Screen attribute “${name}” is used by screen “${screen}”.`, {
        word: name,
        hint: 'Remove its value from all screens first.',
      });
    }
    await screenAttributes(app).destroy({ where: {} });
    await screenAttributes(app).bulkCreate(wish.map((one) => ({ ...one })));
    const what = 'attributes of screens declared';
    await remember(app, { who: person.email, what, thing: 'screens', origin, before, after: wish });
  });
  return declaredAttributes(app);
}
