import { createHash } from 'node:crypto';
import {
  fillWords,
  programOf,
  type ScreenProgram,
  type Slot,
  type SlotHandle,
  type Stretch,
} from '@underbell/core/screen';
import { isRefusal } from '@underbell/core/refusal';
import { findVersion, type VersionRow } from '../media/index.ts';
import { perInstance, type App } from '../platform/index.ts';
import { isMedia, isWords, type FoundSlot, type SlotSource } from './slotCheck.ts';
import type { GroupRow, InterruptionRow, RevisionRow, ScreenRow } from './models.ts';
import { findGroup, findRevision, livingInterruptions, targetsFor } from './store.ts';

const hourMs = 3_600_000;
/** A screen without a network plays on for so long by what it was told last. */
const aheadMs = 30 * hourMs;
/** Programs of one hour begin at the same instant, so that equal screens share one. */
const stepMs = 15 * 60_000;

/** All that decides what a screen shows. */
export interface ScreenSetup {
  readonly screen: ScreenRow;
  readonly group: GroupRow;
  readonly revisions: readonly RevisionRow[];
  readonly interruptions: readonly InterruptionRow[];
  /** Pictures and videos among them, by name and version. */
  readonly media: ReadonlyMap<string, VersionRow>;
}

const mediaKey = ({ media, version }: { readonly media: string; readonly version?: number }) =>
  `${media} ${version ?? ''}`;

/** The pictures and videos that some slots show. */
export async function mediaIn(app: App, slots: readonly Slot[]): Promise<Map<string, VersionRow>> {
  const found = new Map<string, VersionRow>();
  for (const slot of slots) {
    if (!isMedia(slot) || found.has(mediaKey(slot.shows))) continue;
    const { media, version } = slot.shows;
    const row = await findVersion(app, media, version);
    if (row) found.set(mediaKey(slot.shows), row);
  }
  return found;
}

export const slotsShown = (
  revisions: readonly Pick<RevisionRow, 'definition'>[],
  interruptions: readonly Pick<InterruptionRow, 'slot'>[],
): Slot[] => [...revisions.flatMap((one) => one.definition.slots), ...interruptions.map((one) => one.slot)];

export async function setupOf(app: App, screen: ScreenRow): Promise<ScreenSetup> {
  const group = await findGroup(app, screen.groupName);
  const interruptions = await livingInterruptions(app, screen.groupName);
  const targets = await targetsFor(app, screen);
  const found = await Promise.all(targets.map((one) => findRevision(app, one.playlistName, one.revisionNumber)));
  const revisions = found.flatMap((one) => one ?? []);
  const media = await mediaIn(app, slotsShown(revisions, interruptions));
  return { screen, group: group!, revisions, interruptions, media };
}

/** Changes with anything that a screen is told in advance. */
export function tagOf({ screen, group, revisions, interruptions }: ScreenSetup): string {
  const told = [
    [screen.name, screen.title, screen.groupName, screen.attributes, screen.timeZone, screen.language],
    [group.worryMinutes, group.leaseHours, group.otherwise],
    revisions.map((one) => [one.playlistName, one.number, one.publishedAt]),
    interruptions.map((one) => one.id),
  ];
  return createHash('sha256').update(JSON.stringify(told)).digest('base64url').slice(0, 22);
}

const interruptionName = 'now';
const sourceOf = ({ definition, writerId }: RevisionRow): SlotSource => ({ title: definition.title, writerId });

/** Every slot that a screen may ask for, by its id. */
export function slotsOf({ revisions, interruptions }: ScreenSetup): Map<string, FoundSlot> {
  const found = new Map<string, FoundSlot>();
  for (const one of interruptions)
    found.set(`${interruptionName}.${one.id}`, {
      slot: one.slot,
      source: { title: 'interruption', writerId: one.writerId },
    });
  for (const one of revisions)
    for (const slot of one.definition.slots)
      found.set(`${one.playlistName}.${one.number}.${slot.name}`, { slot, source: sourceOf(one) });
  return found;
}

/** What a screen is told of a slot; nothing for words that it lacks a value for, and for what is gone. */
function handleOf(id: string, slot: Slot, { screen, media }: ScreenSetup): SlotHandle | undefined {
  const title = slot.title === undefined ? {} : { title: slot.title };
  if (isMedia(slot)) {
    const row = media.get(mediaKey(slot.shows));
    if (!row) return undefined;
    const { type, sizeBytes, hash } = row;
    return { id, kind: 'media', ...title, media: { type, sizeBytes, hash } };
  }
  if (!isWords(slot)) return { id, kind: 'page', ...title };
  if (slot.shows.values) return { id, kind: 'words', ...title };
  try {
    return { id, kind: 'words', ...title, text: fillWords(slot.shows.text, screen.attributes) };
  } catch (error) {
    if (isRefusal(error)) return undefined;
    throw error;
  }
}

const programs = perInstance(() => new Map<string, Stretch<{ readonly id: string; readonly slot: Slot }>[]>());
const mostPrograms = 500;

/** The stretches of equal screens, laid out once. */
function stretchesOf(
  app: App,
  setup: ScreenSetup,
  now: number,
): Stretch<{ readonly id: string; readonly slot: Slot }>[] {
  const { screen, revisions, interruptions } = setup;
  const from = Math.floor((now - hourMs) / stepMs) * stepMs;
  const key = JSON.stringify([
    from,
    screen.timeZone,
    revisions.map((one) => [one.playlistName, one.number, one.publishedAt]),
    interruptions.map((one) => one.id),
  ]);
  const known = programs(app);
  const found = known.get(key);
  if (found) return found;
  const made = programOf({
    playlists: revisions.map(({ playlistName, number, definition }) => ({
      playlist: playlistName,
      revision: number,
      ...(definition.hours ? { hours: definition.hours } : {}),
      slots: definition.slots.map((slot) => ({
        name: slot.name,
        seconds: slot.seconds,
        ...(slot.hours ? { hours: slot.hours } : {}),
        ...(slot.from === undefined ? {} : { from: slot.from }),
        ...(slot.until === undefined ? {} : { until: slot.until }),
        as: { id: `${playlistName}.${number}.${slot.name}`, slot },
      })),
    })),
    interruptions: interruptions.map(({ id, slot, madeAt, until }) => ({
      id: String(id),
      from: madeAt.getTime(),
      until: until.getTime(),
      slot: { name: slot.name, seconds: slot.seconds, as: { id: `${interruptionName}.${id}`, slot } },
    })),
    timeZone: screen.timeZone,
    within: [from, from + aheadMs],
  });
  if (known.size >= mostPrograms) known.clear();
  known.set(key, made);
  return made;
}

/** Everything that a screen needs to know to play on, also without a network. */
export function programFor(app: App, setup: ScreenSetup, now = app.now()): ScreenProgram {
  const { screen, group } = setup;
  const { name, title, timeZone, language } = screen;
  return {
    tag: tagOf(setup),
    now,
    screen: { name, title, group: group.title, timeZone, language },
    worryMs: group.worryMinutes * 60_000,
    leaseMs: group.leaseHours * hourMs,
    otherwise: group.otherwise,
    stretches: stretchesOf(app, setup, now).map((stretch) => ({
      ...stretch,
      slots: stretch.slots.flatMap((one) => {
        const as = handleOf(one.as.id, one.as.slot, setup);
        return as ? [{ ...one, as }] : [];
      }),
    })),
  };
}
