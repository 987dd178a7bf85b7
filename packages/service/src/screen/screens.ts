import type { PersonViewer } from '@underbell/core/access';
import {
  checkScreenValues,
  stateOf,
  screenStateWords,
  type Fleet,
  type ListedScreen,
  type ScreenCounts,
  type ScreenCommand,
  type ScreenState,
  type ScreenValues,
  type ShownScreen,
} from '@underbell/core/screen';
import { Refusal } from '@underbell/core/refusal';
import { notFound, rightOn, rightsFor } from '../access/index.ts';
import { announce, emit, deleteResourceData, holdName, lockResource, remember, type App } from '../platform/index.ts';
import { checkLanguage, checkScreenFits, checkZone } from './check.ts';
import { declaredAttributes, requireGroup } from './groups.ts';
import { unpairScreen } from './unpair.ts';
import { addCommand } from './commands.ts';
import { screens, type GroupRow, type ScreenRow, type StateRow, type TargetRow } from './models.ts';
import {
  findGroup,
  findScreen,
  findState,
  historyOf,
  listGroups,
  listScreens,
  listStates,
  listTargets,
  newestRevision,
  snapshotTimes,
  targetsAmong,
  removeTarget,
} from './store.ts';

const resourceIdOf = (name: string) => ({ kind: 'screen', name }) as const;

function listed(
  app: App,
  row: ScreenRow,
  group: Pick<GroupRow, 'worryMinutes'>,
  state: StateRow | undefined,
  { targets, picturedAt }: { readonly targets: readonly TargetRow[]; readonly picturedAt: Date | undefined },
): ListedScreen<Date> {
  const wanted = Object.fromEntries(targets.map((one) => [one.playlistName, one.revisionNumber]));
  const about = {
    isEnded: row.endedAt !== null,
    beatAt: state?.beatAt.getTime() ?? null,
    shown: state?.shown ?? null,
    wanted,
    worryMs: group.worryMinutes * 60_000,
  };
  const { name, title, groupName, attributes, timeZone, language, pairedBy, pairedAt, endedBy, endedAt, asked } = row;
  return {
    name,
    title,
    group: groupName,
    attributes,
    timeZone,
    language,
    showsBy: asked.isPicture ? 'picture' : 'live',
    ...stateOf(about, app.now()),
    beatAt: state?.beatAt ?? null,
    picturedAt: picturedAt ?? null,
    shown: state?.shown ?? null,
    pairedBy,
    pairedAt,
    ...(endedBy === null ? {} : { endedBy }),
    ...(endedAt === null ? {} : { endedAt }),
  };
}

/** Which screens are meant; each left out means all. */
export interface FleetFilter {
  readonly group?: string;
  readonly state?: ScreenState;
  /** Stands in the name, the title or what the screen says of itself, in letters of either case. */
  readonly find?: string;
}

const rank = ({ state }: ListedScreen<Date>) => screenStateWords.indexOf(state);

/** Every screen of some groups, those first with which something is wrong. */
async function screensOf(app: App, groups: readonly GroupRow[]): Promise<ListedScreen<Date>[]> {
  const [rows, states, targets, pictures] = await Promise.all([
    listScreens(
      app,
      groups.map((one) => one.name),
    ),
    listStates(app),
    listTargets(app),
    snapshotTimes(app),
  ]);
  const groupBy = new Map(groups.map((one) => [one.name, one]));
  const stateBy = new Map(states.map((one) => [one.screenName, one]));
  const targetsOf = targetsAmong(targets);
  return rows
    .map((row) =>
      listed(app, row, groupBy.get(row.groupName)!, stateBy.get(row.name), {
        targets: targetsOf(row),
        picturedAt: pictures.get(row.name),
      }),
    )
    .toSorted((a, b) => rank(a) - rank(b) || (a.name < b.name ? -1 : 1));
}

/** The groups that somebody may see. */
async function groupsFor(app: App, person: PersonViewer): Promise<GroupRow[]> {
  const right = rightsFor(app, person);
  const found: GroupRow[] = [];
  for (const one of await listGroups(app)) if (await right({ kind: 'screen-group', name: one.name })) found.push(one);
  return found;
}

function fits({ name, title, attributes }: ListedScreen<Date>, find: string): boolean {
  const wanted = find.toLowerCase();
  return [name, title, ...Object.values(attributes)].some((one) => String(one).toLowerCase().includes(wanted));
}

/** The screens of the groups that somebody may see, those first with which something is wrong. */
export async function fleet(app: App, person: PersonViewer, filter: FleetFilter): Promise<ListedScreen<Date>[]> {
  const { group, state, find = '' } = filter;
  const groups = await groupsFor(app, person);
  if (group !== undefined && !groups.some((one) => one.name === group))
    throw notFound(
      'screen-group',
      group,
      groups.map((one) => one.name),
    );
  const wanted = group === undefined ? groups : groups.filter((one) => one.name === group);
  const found = await screensOf(app, wanted);
  return found.filter((one) => (state === undefined || one.state === state) && fits(one, find));
}

const countsOf = (all: readonly ListedScreen<Date>[]): ScreenCounts => {
  const counts = Object.fromEntries(screenStateWords.map((one) => [one, 0])) as Record<ScreenState, number>;
  for (const { state } of all) counts[state]++;
  return counts;
};

/** A part of them, with how many there are in which state. */
export async function fleetPart(
  app: App,
  person: PersonViewer,
  { state, from, count, ...filter }: FleetFilter & { readonly from: number; readonly count: number },
): Promise<Fleet<Date>> {
  const all = await fleet(app, person, filter);
  const wanted = state === undefined ? all : all.filter((one) => one.state === state);
  return { screens: wanted.slice(from, from + count), total: wanted.length, counts: countsOf(all) };
}

/** Consoles ask for the counts again and again, each for its own groups: all of them are read once for all. */
const recentMs = 10_000;
const recent = new WeakMap<App, { readonly at: number; readonly all: Promise<ListedScreen<Date>[]> }>();

/** How many screens that somebody may see are in which state, a few seconds old at most. */
export async function screenCounts(app: App, person: PersonViewer): Promise<ScreenCounts> {
  const groups = new Set((await groupsFor(app, person)).map((one) => one.name));
  if (groups.size === 0) return countsOf([]);
  let known = recent.get(app);
  if (!known || app.now() - known.at > recentMs) {
    known = { at: app.now(), all: listGroups(app).then((every) => screensOf(app, every)) };
    known.all.catch(() => recent.delete(app));
    recent.set(app, known);
  }
  return countsOf((await known.all).filter((one) => groups.has(one.group)));
}

/** A screen for somebody with a right on its group. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function requireScreen(
  app: App,
  person: PersonViewer,
  name: string,
  level: 'view' | 'edit' = 'view',
): Promise<ScreenRow> {
  const row = await findScreen(app, name);
  // Of a screen in a group that is not theirs nobody learns that it is there.
  if (!row || (await rightOn(app, person, 'screen-group', row.groupName)) === undefined)
    throw notFound('screen', name, []);
  await requireGroup(app, person, row.groupName, level);
  return row;
}

export async function showScreen(app: App, person: PersonViewer, name: string): Promise<ShownScreen<Date>> {
  const row = await requireScreen(app, person, name);
  const [group, state, targets, history, pictures] = await Promise.all([
    findGroup(app, row.groupName),
    findState(app, name),
    listTargets(app),
    historyOf(app, name),
    snapshotTimes(app, name),
  ]);
  const own = targetsAmong(targets)(row);
  const right = (await rightOn(app, person, 'screen-group', row.groupName))!;
  const shown = await Promise.all(
    own.map(async (one) => ({
      name: one.playlistName,
      title: one.playlistName,
      revision: one.revisionNumber,
      newest: await newestRevision(app, one.playlistName),
      by: one.targetKind === 'screen' ? 'this screen' : `group ${one.targetName}`,
    })),
  );
  return {
    ...listed(app, row, group!, state, { targets: own, picturedAt: pictures.get(name) }),
    right: right.level,
    device: row.asked,
    playlists: shown,
    history: history.map(({ at, what, detail }) => ({ at, what, detail })),
  };
}

export interface ScreenWish {
  readonly title: string;
  readonly group: string;
  readonly attributes: ScreenValues;
  readonly timeZone: string;
  readonly language: string;
}

/**
 * Says something else of a screen; it shows what fits at once.
 *
 * @throws {Refusal} `SCREEN_INVALID`, `PLAYLIST_MISFIT` where it could not show any more what was published to it
 */
export async function changeScreen(
  app: App,
  person: PersonViewer,
  name: string,
  wish: ScreenWish,
  origin: string,
): Promise<ShownScreen<Date>> {
  const seen = await requireScreen(app, person, name, 'edit');
  if (wish.group !== seen.groupName) await requireGroup(app, person, wish.group, 'edit');
  checkZone(wish.timeZone);
  checkLanguage(wish.language);
  checkScreenValues(await declaredAttributes(app), wish.attributes);
  await checkScreenFits(app, { ...seen, ...wish, groupName: wish.group });
  await app.records.transaction(async () => {
    await holdName(app, resourceIdOf(name), true);
    await holdName(app, { kind: 'screen-group', name: wish.group }, true);
    const before = (await findScreen(app, name))!;
    // It was moved meanwhile, into a group that is maybe not theirs.
    if (before.groupName !== seen.groupName)
      throw new Refusal('VERSION_CONFLICT', `Screen “${name}” was moved to another group in the meantime.`);
    const { group, ...rest } = wish;
    const after: ScreenRow = { ...before, ...rest, groupName: group };
    await screens(app).update({ ...rest, groupName: group }, { where: { name } });
    await remember(app, { who: person.email, what: 'screen updated', thing: `screen ${name}`, origin, before, after });
    await announce(app, resourceIdOf(name));
  });
  return showScreen(app, person, name);
}

/** Ends the key of a screen: its picture goes, and what it keeps is deleted. */
export async function endScreen(
  app: App,
  person: PersonViewer,
  name: string,
  origin: string,
): Promise<ShownScreen<Date>> {
  await requireScreen(app, person, name, 'edit');
  await app.records.transaction(async () => {
    await lockResource(app, 'screen', name);
    await unpairScreen(app, name, person.email, origin);
  });
  return showScreen(app, person, name);
}

/** Takes a screen out of all lists. @throws {Refusal} `IN_USE` while its key counts */
export async function removeScreen(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  const before = await requireScreen(app, person, name, 'edit');
  await app.records.transaction(async () => {
    await lockResource(app, 'screen', name);
    if ((await findScreen(app, name))?.endedAt === null)
      throw new Refusal('IN_USE', `Screen “${name}” is still paired.`, { hint: 'Unpair it before you delete it.' });
    await screens(app).destroy({ where: { name } });
    await removeTarget(app, { targetKind: 'screen', targetName: name });
    await deleteResourceData(app, resourceIdOf(name));
    await remember(app, { who: person.email, what: 'screen deleted', thing: `screen ${name}`, origin, before });
    await emit(app, 'thing.gone', { thing: resourceIdOf(name) });
  });
}

/** Tells a screen to do something, with its next beat or at once where it listens. */
export async function orderScreen(
  app: App,
  person: PersonViewer,
  name: string,
  order: ScreenCommand,
  origin: string,
): Promise<void> {
  await requireScreen(app, person, name, 'edit');
  await app.records.transaction(async () => {
    await addCommand(app, name, order);
    await remember(app, { who: person.email, what: `command sent: ${order}`, thing: `screen ${name}`, origin });
    await announce(app, resourceIdOf(name));
  });
}
