import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import type { AppSetup, ShownApp } from '@underbell/core/app';
import { Refusal, suggest } from '@underbell/core/refusal';
import { putOwner, requireAdministrator, rightsFor } from '../access/index.ts';
import { boardFrameOrigins } from '../board/index.ts';
import { announce, emit, deleteResourceData, holdName, lockResource, remember, type App } from '../platform/index.ts';
import { requireClient } from '../token/index.ts';
import { apps, type AppRow } from './models.ts';
import { shownPlaces } from './appPlacements.ts';
import { requireApp } from './requireEnabledApp.ts';
import { findApp, listApps, listPlaces, putApp } from './store.ts';

const resourceIdOf = (name: string) => ({ kind: 'app', name }) as const;

async function shown(app: App, person: PersonViewer, row: AppRow, right: ShownApp['right']): Promise<ShownApp<Date>> {
  const isWhole = isAtLeast({ level: right }, 'edit');
  const { name, title, origins, clientId, company, charts, isOn, switchedBy, switchedAt } = row;
  return {
    name,
    title,
    origins,
    client: isWhole ? clientId : null,
    company: isWhole ? company : null,
    charts: isWhole ? charts : [],
    isOn,
    ...(switchedBy === null ? {} : { switchedBy }),
    ...(switchedAt === null ? {} : { switchedAt }),
    right,
    places: await shownPlaces(app, person, name, isWhole),
  };
}

/** The apps that somebody may see. */
export async function seenApps(app: App, person: PersonViewer): Promise<ShownApp<Date>[]> {
  const right = rightsFor(app, person);
  const found: ShownApp<Date>[] = [];
  for (const row of await listApps(app)) {
    const own = await right(resourceIdOf(row.name));
    if (own) found.push(await shown(app, person, row, own.level));
  }
  return found;
}

export async function showApp(app: App, person: PersonViewer, name: string): Promise<ShownApp<Date>> {
  const { right, ...row } = await requireApp(app, person, name);
  return shown(app, person, row, right);
}

async function checkSetup(app: App, person: PersonViewer, name: string, wish: AppSetup): Promise<void> {
  if (wish.client !== null) {
    await requireClient(app, person, wish.client);
    const other = (await listApps(app)).find((one) => one.clientId === wish.client && one.name !== name);
    if (other)
      throw new Refusal('IN_USE', `Client “${wish.client}” belongs to app “${other.title}” already.`, {
        pointer: '/client',
        word: wish.client,
        hint: 'Create a client for each app.',
      });
  }
  const framed = await boardFrameOrigins(app);
  for (const [i, { address }] of wish.charts.entries()) {
    const { origin } = new URL(address);
    if (!framed.includes(origin))
      throw new Refusal('INPUT_INVALID', `${origin} is not an allowed origin.`, {
        pointer: `/charts/${i}/address`,
        word: origin,
        ...suggest(origin, framed),
        hint: 'An administrator adds it to the allowed origins of boards first.',
      });
  }
}

/**
 * Makes an app known, or changes it. It is off until it is switched on.
 *
 * @throws {Refusal} `NOT_ALLOWED` for others than administrators, `INPUT_INVALID`
 */
export async function saveApp(
  app: App,
  person: PersonViewer,
  name: string,
  wish: AppSetup,
  origin: string,
): Promise<ShownApp<Date>> {
  requireAdministrator(person);
  await checkSetup(app, person, name, wish);
  const { client, ...rest } = wish;
  await app.records.transaction(async () => {
    await lockResource(app, 'app', name);
    const before = await findApp(app, name);
    await holdName(app, resourceIdOf(name), before !== undefined);
    const { isOn = false, switchedBy = null, switchedAt = null } = before ?? {};
    const { makerId = person.id, madeAt = new Date(app.now()) } = before ?? {};
    const row: AppRow = { name, ...rest, clientId: client, isOn, switchedBy, switchedAt, makerId, madeAt };
    await putApp(app, row);
    if (!before) await putOwner(app, person, resourceIdOf(name));
    const what = before ? 'app changed' : 'app added';
    await remember(app, { who: person.email, what, thing: `app ${name}`, origin, before, after: row });
    await tellPlaces(app, name);
  });
  return showApp(app, person, name);
}

/** Whoever looks at a place of an app looks again. */
async function tellPlaces(app: App, name: string): Promise<void> {
  for (const { placementName } of await listPlaces(app, name))
    await announce(app, { kind: 'placement', name: placementName });
}

/**
 * Switches an app on, or off: at once and everywhere, for its places and for what its program was given.
 *
 * @throws {Refusal} `NOT_ALLOWED` for others than administrators
 */
export async function switchApp(
  app: App,
  person: PersonViewer,
  name: string,
  isOn: boolean,
  origin: string,
): Promise<ShownApp<Date>> {
  requireAdministrator(person);
  await requireApp(app, person, name);
  await app.records.transaction(async () => {
    await lockResource(app, 'app', name);
    const before = await findApp(app, name);
    // Who switched it stays who did: switching on what is on is nothing.
    if (!before || before.isOn === isOn) return;
    await apps(app).update({ isOn, switchedBy: person.email, switchedAt: new Date(app.now()) }, { where: { name } });
    const what = isOn ? 'app enabled' : 'app disabled';
    await remember(app, { who: person.email, what, thing: `app ${name}`, origin });
    await tellPlaces(app, name);
    if (before.clientId !== null) await announce(app, { kind: 'client', name: before.clientId });
  });
  return showApp(app, person, name);
}

/** Takes an app away: its placements stay, and stand in no app. @throws {Refusal} `NOT_ALLOWED` */
export async function removeApp(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  requireAdministrator(person);
  const { right: _right, ...before } = await requireApp(app, person, name);
  await app.records.transaction(async () => {
    // Switched off first: what stood in an app that is off must not come to light by taking the app away.
    const places = await listPlaces(app, name);
    if (!before.isOn && places.length > 0)
      throw new Refusal('IN_USE', `App “${name}” is disabled and still has ${places.length} placements.`, {
        hint: 'Remove them first: without the app they would be visible again.',
      });
    await tellPlaces(app, name);
    await apps(app).destroy({ where: { name } });
    await deleteResourceData(app, resourceIdOf(name));
    await remember(app, { who: person.email, what: 'app deleted', thing: `app ${name}`, origin, before });
    await emit(app, 'thing.gone', { thing: resourceIdOf(name) });
  });
}
