import { mayPassOn, permissionOf, type PersonViewer } from '@underbell/core/access';
import { isRefusal, Refusal, type Problem } from '@underbell/core/refusal';
import {
  playlistChanges,
  shapeOfValues,
  type PlaylistDefinition,
  type PlaylistPlan,
  type PlaylistTarget,
  type ShownPlaylist,
} from '@underbell/core/screen';
import { foldersOf, giveGrant, listGrants, requireRight, rightOn } from '../access/index.ts';
import { announce, holdName, lockResource, remember, type App } from '../platform/index.ts';
import { checkSlot, pinned, requirePlaylist, showPlaylist } from './playlists.ts';
import { cautionOf, extentOf, misfitOf, reportsBehind } from './slotCheck.ts';
import { requireGroup } from './groups.ts';
import { playlistRevisions, type ScreenRow, type TargetRow } from './models.ts';
import { requireScreen } from './screens.ts';
import { findRevision, listScreens, listStates, newestRevision, putTarget, removeTarget, targetsOf } from './store.ts';
import { notFound } from '../access/index.ts';

/** What is about to be published. */
interface Publication {
  readonly name: string;
  readonly definition: PlaylistDefinition;
  readonly targets: readonly PlaylistTarget[];
  readonly writerId: string;
}

/** Only who looks after a screen says what it shows. */
async function requireTargets(app: App, person: PersonViewer, targets: readonly PlaylistTarget[]): Promise<void> {
  for (const { kind, name } of targets) {
    if (kind === 'screen') await requireScreen(app, person, name, 'edit');
    else await requireGroup(app, person, name, 'edit');
  }
}

/** The screens of some targets that are not closed, each once, with the revision of the playlist that they have. */
async function screensIn(app: App, targets: readonly PlaylistTarget[]): Promise<ScreenRow[]> {
  const all = await listScreens(app);
  return all.filter(
    (screen) =>
      screen.endedAt === null &&
      targets.some((one) => (one.kind === 'screen' ? one.name === screen.name : one.name === screen.groupName)),
  );
}

const revisionOn = (held: readonly TargetRow[], screen: ScreenRow): number | null =>
  (
    held.find((one) => one.targetKind === 'screen' && one.targetName === screen.name) ??
    held.find((one) => one.targetKind === 'screen-group' && one.targetName === screen.groupName)
  )?.revisionNumber ?? null;

/** Reports that targets have no right on yet. */
async function lacksOf(
  app: App,
  person: PersonViewer,
  { definition, targets }: Publication,
): Promise<PlaylistPlan['lacks']> {
  const grants = await listGrants(app);
  const behind = await Promise.all(definition.slots.map((slot) => reportsBehind(app, slot)));
  const reports = [...new Set(behind.flat())];
  const folders = await foldersOf(app, 'report');
  const all = await listScreens(app);
  const found: PlaylistPlan['lacks'][number][] = [];
  for (const { kind, name } of targets) {
    const group = kind === 'screen' ? all.find((one) => one.name === name)?.groupName : undefined;
    const holders = [
      { kind, name } as const,
      ...(group === undefined ? [] : [{ kind: 'screen-group', name: group } as const]),
    ];
    for (const report of reports) {
      const inside = folders.get(report);
      const held = permissionOf(grants, holders, {
        kind: 'report',
        name: report,
        ...(inside ? { folders: inside } : {}),
      });
      if (held) continue;
      const mayGive = mayPassOn(await rightOn(app, person, 'report', report), 'view');
      found.push({ kind, name, report, mayGive });
    }
  }
  return found;
}

/**
 * Slots that some screens could not show. Of those whose values differ in nothing that decides it one is asked; where it
 * cannot show something, each is asked by itself, for what it is told names its own values.
 */
async function misfitsIn(
  app: App,
  { definition, writerId }: Publication,
  all: readonly ScreenRow[],
  planned: PersonViewer,
): Promise<Map<string, { slot: string; why: string }[]>> {
  const source = { title: definition.title, writerId };
  const own = new Set((await listGrants(app)).flatMap(({ holder }) => (holder.kind === 'screen' ? [holder.name] : [])));
  const asked = new Map<string, { slot: string; why: string }[]>();
  const found = new Map<string, { slot: string; why: string }[]>();
  for (const screen of all) {
    const { isPicture } = screen.asked;
    const kind = [screen.groupName, isPicture, own.has(screen.name) ? screen.name : ''];
    const ask = async () => {
      const misfits: { slot: string; why: string }[] = [];
      for (const slot of definition.slots) {
        const why = await misfitOf(app, { ...screen, planned }, source, slot);
        if (why !== undefined) misfits.push({ slot: slot.name, why });
      }
      return misfits;
    };
    const like = JSON.stringify([...kind, shapeOfValues(screen.attributes)]);
    const same = JSON.stringify([...kind, screen.attributes]);
    const known = asked.get(like)?.length === 0 ? [] : asked.get(same);
    const misfits = known ?? (await ask());
    if (!asked.has(like)) asked.set(like, misfits);
    asked.set(same, misfits);
    found.set(screen.name, misfits);
  }
  return found;
}

/** Slots that are not on some walls as they are meant to be, by screen. */
async function cautionsIn(
  app: App,
  { definition }: Publication,
  screens: readonly ScreenRow[],
): Promise<Map<string, { slot: string; why: string }[]>> {
  const extents = await Promise.all(definition.slots.map((slot) => extentOf(app, slot)));
  const said = new Map((await listStates(app)).map((one) => [one.screenName, one.shown]));
  return new Map(
    screens.map(({ name, asked }) => {
      const { width = asked.width, height = asked.height } = said.get(name) ?? {};
      if (width === undefined || height === undefined) return [name, []];
      const found = definition.slots.flatMap((slot, i) => {
        const why = cautionOf(extents[i], slot, { width, height });
        return why === undefined ? [] : [{ slot: slot.name, why }];
      });
      return [name, found];
    }),
  );
}

async function planFor(app: App, person: PersonViewer, wish: Publication): Promise<PlaylistPlan> {
  const { name, definition, targets } = wish;
  const [held, all, lacks] = await Promise.all([
    targetsOf(app, name),
    screensIn(app, targets),
    lacksOf(app, person, wish),
  ]);
  // As if what is lacking were given: so it is looked at before anything is.
  const misfits = await misfitsIn(app, wish, all, person);
  const cautions = await cautionsIn(app, wish, all);
  const newest = await newestRevision(app, name);
  const last = newest === 0 ? undefined : await findRevision(app, name, newest);
  const lacking = new Set(lacks.filter((one) => !one.mayGive).map((one) => one.report));
  const isLacking = new Map<string, boolean>();
  for (const slot of definition.slots)
    isLacking.set(
      slot.name,
      (await reportsBehind(app, slot)).some((report) => lacking.has(report)),
    );
  return {
    playlist: name,
    revision: newest + 1,
    changes: playlistChanges(last?.definition, definition),
    screens: all.map((screen) => ({
      name: screen.name,
      title: screen.title,
      has: revisionOn(held, screen),
      // What it lacks a right for is told as that.
      misfits: misfits.get(screen.name)!.filter(({ slot }) => !isLacking.get(slot)),
      cautions: cautions.get(screen.name)!,
    })),
    lacks,
  };
}

/** As it is published: pictures and videos in the version that they have now. One that is gone is told of by the plan. */
async function pinnedPlaylist(app: App, definition: PlaylistDefinition): Promise<PlaylistDefinition> {
  const slots = await Promise.all(
    definition.slots.map((slot) =>
      pinned(app, slot).catch((error: unknown) => {
        if (isRefusal(error)) return slot;
        throw error;
      }),
    ),
  );
  return { ...definition, slots };
}

async function publicationOf(
  app: App,
  person: PersonViewer,
  name: string,
  targets: readonly PlaylistTarget[],
): Promise<Publication> {
  await requireRight(app, person, 'edit', 'playlist', name);
  const { definition } = await requirePlaylist(app, name);
  await requireTargets(app, person, targets);
  return { name, definition: await pinnedPlaylist(app, definition), targets, writerId: person.id };
}

/** What publishing a playlist would mean, for each screen. */
export async function planPublication(
  app: App,
  person: PersonViewer,
  name: string,
  targets: readonly PlaylistTarget[],
): Promise<PlaylistPlan> {
  return planFor(app, person, await publicationOf(app, person, name, targets));
}

function refuseMisfits({ screens, lacks }: PlaylistPlan, isGiving: boolean): void {
  const missing = lacks.filter((one) => !isGiving || !one.mayGive);
  const problems: Problem[] = [
    ...missing.map((one) => ({
      at: `/targets`,
      message: `${one.kind === 'screen' ? 'Screen' : 'Screen group'} “${one.name}” has no permission on report “${one.report}”.`,
      ...(one.mayGive
        ? { hint: 'Publish with --grant-missing, or select “Grant view”.' }
        : { hint: 'Ask an owner for “view”.' }),
    })),
    ...screens.flatMap(({ name, misfits }) =>
      misfits.map(({ slot, why }) => ({
        at: `/slots/${slot}`,
        message: `Screen “${name}”, slot “${slot}”: ${why}`,
      })),
    ),
  ];
  const [first] = problems;
  if (first)
    throw new Refusal('PLAYLIST_MISFIT', `${first.message} Nothing was published.`, {
      pointer: first.at,
      ...(first.hint === undefined ? {} : { hint: first.hint }),
      problems,
    });
}

export interface PublishWish {
  readonly targets: readonly PlaylistTarget[];
  readonly note: string;
  /** Gives the targets the right to view what they lack one for, as far as whoever publishes may pass it on. */
  readonly give: boolean;
  /** The revision that was published last, when the plan was looked at; refused when another came in between. */
  readonly expected?: number;
}

/** Screens before groups, as everybody holds them who holds both. */
const inLockOrder = (a: PlaylistTarget, b: PlaylistTarget): number =>
  a.kind === b.kind ? (a.name < b.name ? -1 : 1) : a.kind === 'screen' ? -1 : 1;

const publishedMeanwhile = (name: string, newest: number) =>
  new Refusal('VERSION_CONFLICT', `Version ${newest} of playlist “${name}” was published in the meantime.`, {
    hint: 'Preview it again.',
  });

async function publish(
  app: App,
  person: PersonViewer,
  wish: Publication,
  { note, give, expected }: Omit<PublishWish, 'targets'>,
  origin: string,
): Promise<ShownPlaylist<Date>> {
  const { name, definition, targets, writerId } = wish;
  const plan = await planFor(app, person, wish);
  if (expected !== undefined && plan.revision !== expected + 1) throw publishedMeanwhile(name, plan.revision - 1);
  refuseMisfits(plan, give);
  await app.records.transaction(async () => {
    await lockResource(app, 'playlist', name);
    const newest = await newestRevision(app, name);
    if (plan.revision !== newest + 1) throw publishedMeanwhile(name, newest);
    // Taken away or renamed since the plan: nothing is published to a name that another may get.
    for (const { kind, name: target } of targets.toSorted(inLockOrder))
      await holdName(app, { kind, name: target }, true);
    if (give)
      for (const one of plan.lacks)
        await giveGrant(
          app,
          person,
          { holder: { kind: one.kind, name: one.name }, thing: { kind: 'report', name: one.report }, level: 'view' },
          origin,
        );
    const publishedAt = new Date(app.now());
    await playlistRevisions(app).create({
      playlistName: name,
      number: plan.revision,
      definition,
      writerId,
      publishedBy: person.email,
      publishedAt,
      note,
    });
    for (const one of targets)
      await putTarget(app, {
        playlistName: name,
        revisionNumber: plan.revision,
        targetKind: one.kind,
        targetName: one.name,
        publishedAt,
      });
    const after = { revision: plan.revision, targets: targets.map((one) => `${one.kind} ${one.name}`), note };
    await remember(app, { who: person.email, what: 'playlist published', thing: `playlist ${name}`, origin, after });
    for (const one of targets) await announce(app, { kind: one.kind, name: one.name });
  });
  return showPlaylist(app, person, name);
}

/**
 * Publishes a playlist to screens and groups as its next revision: to all of them, or to none.
 *
 * @throws {Refusal} `PLAYLIST_MISFIT` with every screen and slot that does not fit, `NOT_ALLOWED`, `VERSION_CONFLICT`
 */
export async function publishPlaylist(
  app: App,
  person: PersonViewer,
  name: string,
  { targets, ...rest }: PublishWish,
  origin: string,
): Promise<ShownPlaylist<Date>> {
  const wish = await publicationOf(app, person, name, targets);
  // Whoever publishes it stands for it: what they may not see themselves they do not put onto walls.
  for (const [i, slot] of wish.definition.slots.entries()) await checkSlot(app, person, slot, `/slots/${i}`);
  return publish(app, person, wish, rest, origin);
}

/** Publishes an earlier revision once more, where the playlist stands now. @throws {Refusal} as publishing does */
export async function rollBackPlaylist(
  app: App,
  person: PersonViewer,
  name: string,
  number: number,
  origin: string,
): Promise<ShownPlaylist<Date>> {
  await requireRight(app, person, 'edit', 'playlist', name);
  const revision = await findRevision(app, name, number);
  if (!revision) throw notFound('revision', String(number), []);
  const targets = (await targetsOf(app, name)).map((one) => ({ kind: one.targetKind, name: one.targetName }));
  if (targets.length === 0)
    throw new Refusal('INPUT_INVALID', `Playlist “${name}” is not published.`, {
      hint: 'Publish it to screens first.',
    });
  await requireTargets(app, person, targets);
  const wish = { name, definition: revision.definition, targets, writerId: person.id };
  for (const [i, slot] of wish.definition.slots.entries()) await checkSlot(app, person, slot, `/slots/${i}`);
  return publish(app, person, wish, { note: `Rolled back to version ${number}`, give: false }, origin);
}

/** Takes a playlist from a screen or group. */
export async function withdrawPlaylist(
  app: App,
  person: PersonViewer,
  name: string,
  target: PlaylistTarget,
  origin: string,
): Promise<ShownPlaylist<Date>> {
  await requireTargets(app, person, [target]);
  await requireRight(app, person, 'view', 'playlist', name);
  await app.records.transaction(async () => {
    await lockResource(app, 'playlist', name);
    const gone = await removeTarget(app, { playlistName: name, targetKind: target.kind, targetName: target.name });
    if (gone === 0) throw notFound(target.kind, target.name, []);
    const after = `${target.kind} ${target.name}`;
    await remember(app, { who: person.email, what: 'playlist unpublished', thing: `playlist ${name}`, origin, after });
    await announce(app, target);
  });
  return showPlaylist(app, person, name);
}
