import { isDeepStrictEqual } from 'node:util';
import { checkScreenFilter, type PersonViewer } from '@underbell/core/access';
import { Refusal, placed } from '@underbell/core/refusal';
import { readParameters, findFigure, findPage } from '@underbell/core/report';
import {
  validatePlaylist,
  type ListedPlaylist,
  type PlaylistDefinition,
  type ScreenAttribute,
  type ShownPlaylist,
  type Slot,
} from '@underbell/core/screen';
import { suggest } from '@underbell/core/refusal';
import { notFound, putOwner, requireAuthor, requireRight, rightsFor } from '../access/index.ts';
import { boardDatasetNames } from '../board/index.ts';
import { findDataset } from '../dataset/index.ts';
import { requireVersion } from '../media/index.ts';
import {
  announce,
  emit,
  deleteResourceData,
  holdName,
  lockResource,
  momentOf,
  remember,
  type App,
} from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { boardOf, isBoard, isMedia, isWords, slotRequestsOf, mediaOf, type SlotRequest } from './slotCheck.ts';
import { attributeSamples, declaredAttributes } from './groups.ts';
import { playlists, type PlaylistRow, type TargetRow } from './models.ts';
import {
  findPlaylist,
  listPlaylists,
  listRevisions,
  listScreens,
  listStates,
  newestRevision,
  targetsOf,
} from './store.ts';

const resourceIdOf = (name: string) => ({ kind: 'playlist', name }) as const;

/** Checks what a slot shows, by whoever puts it there: it must be theirs to see. */
export async function checkSlot(app: App, person: PersonViewer, slot: Slot, pointer: string): Promise<void> {
  const declared = await declaredAttributes(app);
  if (isMedia(slot)) {
    const { media, version } = slot.shows;
    await placed(`${pointer}/shows/media`, () => requireVersion(app, person, media, version));
  }
  if (isBoard(slot)) {
    const { board } = slot.shows;
    const { definition } = await placed(`${pointer}/shows/board`, async () => {
      await requireRight(app, person, 'view', 'board', board);
      return boardOf(app, board);
    });
    await checkWhere(app, declared, slot.where, await boardDatasetNames(app, definition), pointer);
  }
  for (const look of slotRequestsOf(slot)) await checkLook(app, person, declared, look, pointer);
  if (!isWords(slot)) return;
  for (const name of Object.keys(slot.shows.values ?? {}))
    if (declared.some((one) => one.name === name))
      throw new Refusal('PLAYLIST_INVALID', `“${name}” is a screen attribute already.`, {
        pointer: `${pointer}/shows/values/${name}`,
        hint: 'Use another name for the value.',
      });
}

async function checkLook(
  app: App,
  person: PersonViewer,
  declared: readonly ScreenAttribute[],
  look: SlotRequest,
  pointer: string,
): Promise<void> {
  const { report, page, figure } = look;
  const at = `${pointer}${look.pointer}`;
  const { definition } = await placed(`${at}/report`, async () => {
    await requireRight(app, person, 'view', 'report', report);
    return findEdition(app, report);
  });
  await placed(`${at}/page`, async () => {
    const found = findPage(definition, page);
    if (figure === undefined) return;
    const { kind } = findFigure(found, figure);
    if (look.settings !== '' && kind !== 'number')
      throw new Refusal('PLAYLIST_INVALID', `Figure “${figure}” is not a number.`, {
        hint: 'A text can contain figures of kind “number”.',
      });
  });
  const { today } = momentOf(app);
  const settings = `${pointer}${look.settings}`;
  await placed(`${settings}/parameters`, async () => {
    readParameters(definition, look.parameters ?? {}, { today, isPartial: true });
  });
  await checkWhere(app, declared, look.where, Object.keys(definition.datasets), settings);
}

/** Conditions name datasets that are read here, their columns, and what screens say of themselves. */
async function checkWhere(
  app: App,
  declared: readonly ScreenAttribute[],
  where: SlotRequest['where'],
  datasets: readonly string[],
  pointer: string,
): Promise<void> {
  for (const [dataset, text] of Object.entries(where ?? {})) {
    const at = `${pointer}/where/${dataset}`;
    if (!datasets.includes(dataset))
      throw new Refusal('INPUT_INVALID', `The content does not use dataset “${dataset}”.`, {
        pointer: at,
        word: dataset,
        ...suggest(dataset, datasets),
      });
    await placed(at, async () => {
      checkScreenFilter(text, await findDataset(app, dataset), (name) => {
        const attribute = declared.find((one) => one.name === name);
        if (attribute) return [attributeSamples[attribute.type]];
        throw new Refusal('VALUE_UNBOUND', `There is no screen attribute “${name}”.`, {
          word: name,
          ...suggest(
            name,
            declared.map((one) => one.name),
          ),
        });
      });
    });
  }
}

/** A picture or video stays as it is when it is published: its version is said. */
export async function pinned(app: App, slot: Slot): Promise<Slot> {
  if (!isMedia(slot)) return slot;
  const { number } = await mediaOf(app, slot.shows);
  return { ...slot, shows: { ...slot.shows, version: number } };
}

/** Checks a playlist and everything that it shows. @throws {Refusal} */
export async function checkPlaylist(app: App, person: PersonViewer, value: unknown): Promise<PlaylistDefinition> {
  const playlist = validatePlaylist(value);
  for (const [i, slot] of playlist.slots.entries()) await checkSlot(app, person, slot, `/slots/${i}`);
  return playlist;
}

/**
 * Saves a playlist; screens show what was published last until it is published again.
 *
 * @param expected - the version that was changed; any when left out
 * @throws {Refusal} `VERSION_CONFLICT` where another was saved in between
 */
export async function savePlaylist(
  app: App,
  person: PersonViewer,
  value: unknown,
  options: { readonly expected?: number; readonly origin: string },
): Promise<ShownPlaylist<Date>> {
  const definition = await checkPlaylist(app, person, value);
  const { name, title } = definition;
  const known = await findPlaylist(app, name);
  if (known) await requireRight(app, person, 'edit', 'playlist', name);
  else await requireAuthor(app, person, 'playlist');
  await app.records.transaction(async () => {
    await holdName(app, resourceIdOf(name), known !== undefined);
    const before = await findPlaylist(app, name);
    if (before && options.expected !== undefined && before.version !== options.expected)
      throw new Refusal('VERSION_CONFLICT', `Playlist “${name}” was changed by ${before.changedBy}.`, {
        hint: 'Reload and try again.',
      });
    if (before && isDeepStrictEqual(before.definition, definition)) return;
    const version = (before?.version ?? 0) + 1;
    const row: PlaylistRow = {
      name,
      title,
      definition,
      version,
      changedBy: person.email,
      changedAt: new Date(app.now()),
    };
    await playlists(app).upsert(row);
    if (!before) await putOwner(app, person, resourceIdOf(name));
    await remember(app, {
      who: person.email,
      what: 'playlist saved',
      thing: `playlist ${name}`,
      origin: options.origin,
      before: before?.definition,
      after: definition,
    });
  });
  return showPlaylist(app, person, name);
}

/** Where a playlist is published, as far as somebody may know of those screens. */
async function seenTargets(app: App, person: PersonViewer, name: string): Promise<TargetRow[]> {
  const right = rightsFor(app, person);
  const groupOf = new Map((await listScreens(app)).map((one) => [one.name, one.groupName]));
  const found: TargetRow[] = [];
  for (const one of await targetsOf(app, name)) {
    const group = one.targetKind === 'screen' ? groupOf.get(one.targetName) : one.targetName;
    if (group !== undefined && (await right({ kind: 'screen-group', name: group }))) found.push(one);
  }
  return found;
}

async function listed(app: App, person: PersonViewer, row: PlaylistRow): Promise<ListedPlaylist<Date>> {
  const { name, title, definition, changedBy, changedAt } = row;
  const targets = await seenTargets(app, person, name);
  const newest = await newestRevision(app, name);
  return {
    name,
    title,
    description: definition.description ?? '',
    slots: definition.slots.length,
    revision: newest === 0 ? null : newest,
    targets: targets.map((one) => ({ kind: one.targetKind, name: one.targetName, revision: one.revisionNumber })),
    changedBy,
    changedAt,
  };
}

/** The playlists that somebody may see. */
export async function seenPlaylists(app: App, person: PersonViewer): Promise<ListedPlaylist<Date>[]> {
  const right = rightsFor(app, person);
  const found: ListedPlaylist<Date>[] = [];
  for (const row of await listPlaylists(app))
    if (await right(resourceIdOf(row.name))) found.push(await listed(app, person, row));
  return found;
}

export async function requirePlaylist(app: App, name: string): Promise<PlaylistRow> {
  const row = await findPlaylist(app, name);
  if (row) return row;
  throw notFound('playlist', name, []);
}

export async function showPlaylist(app: App, person: PersonViewer, name: string): Promise<ShownPlaylist<Date>> {
  const { level: right } = await requireRight(app, person, 'view', 'playlist', name);
  const row = await requirePlaylist(app, name);
  const [about, revisions, targets, all, states] = await Promise.all([
    listed(app, person, row),
    listRevisions(app, name),
    seenTargets(app, person, name),
    listScreens(app),
    listStates(app),
  ]);
  const has = new Map(states.map((one) => [one.screenName, one.shown]));
  const wantedBy = (screen: { name: string; groupName: string }) =>
    targets.find((one) => one.targetKind === 'screen' && one.targetName === screen.name) ??
    targets.find((one) => one.targetKind === 'screen-group' && one.targetName === screen.groupName);
  return {
    ...about,
    right,
    definition: row.definition,
    version: row.version,
    revisions: revisions.map(({ number, publishedBy, publishedAt, note, definition }) => ({
      number,
      by: publishedBy,
      at: publishedAt,
      note,
      slots: definition.slots.length,
    })),
    screens: all.flatMap((screen) => {
      const target = screen.endedAt === null ? wantedBy(screen) : undefined;
      const held = has.get(screen.name)?.has?.[name];
      return target
        ? [{ name: screen.name, title: screen.title, wanted: target.revisionNumber, has: held ?? null }]
        : [];
    }),
  };
}

/** Takes a playlist away, with all its revisions. @throws {Refusal} `IN_USE` while it is published somewhere */
export async function removePlaylist(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  await requireRight(app, person, 'own', 'playlist', name);
  const before = await requirePlaylist(app, name);
  await app.records.transaction(async () => {
    await lockResource(app, 'playlist', name);
    const [target] = await targetsOf(app, name);
    if (target)
      throw new Refusal('IN_USE', `Playlist “${name}” is published to ${target.targetName}.`, {
        hint: 'Unpublish it first.',
      });
    await playlists(app).destroy({ where: { name } });
    await deleteResourceData(app, resourceIdOf(name));
    await remember(app, { who: person.email, what: 'playlist deleted', thing: `playlist ${name}`, origin, before });
    await announce(app, resourceIdOf(name));
    await emit(app, 'thing.gone', { thing: resourceIdOf(name) });
  });
}
