import { keysAfter, nameAfter, type Renaming } from '../access/names.ts';
import type { PlaylistDefinition, SlotContent } from './playlist.ts';

const whereAfter = (where: Readonly<Record<string, string>> | undefined, thing: Renaming, to: string) =>
  where ? { where: keysAfter(where, 'dataset', thing, to) } : {};

function contentAfter(shows: SlotContent, thing: Renaming, to: string): SlotContent {
  if ('report' in shows) return { ...shows, report: nameAfter(shows.report, 'report', thing, to) };
  if ('board' in shows) return { ...shows, board: nameAfter(shows.board, 'board', thing, to) };
  if ('media' in shows) return { ...shows, media: nameAfter(shows.media, 'media', thing, to) };
  if (!shows.values) return shows;
  const values = Object.entries(shows.values).map(([name, value]) => [
    name,
    { ...value, report: nameAfter(value.report, 'report', thing, to), ...whereAfter(value.where, thing, to) },
  ]);
  return { ...shows, values: Object.fromEntries(values) as NonNullable<typeof shows.values> };
}

/** A playlist after it, or something that it shows or filters, was given another name. */
export function renamedInPlaylist(playlist: PlaylistDefinition, thing: Renaming, to: string): PlaylistDefinition {
  return {
    ...playlist,
    name: nameAfter(playlist.name, 'playlist', thing, to),
    slots: playlist.slots.map((slot) => ({
      ...slot,
      shows: contentAfter(slot.shows, thing, to),
      ...whereAfter(slot.where, thing, to),
    })),
  };
}
