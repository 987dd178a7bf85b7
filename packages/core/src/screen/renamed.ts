import { keysAfter, nameAfter, type Renaming } from '../access/names.ts';
import type { PlaylistDefinition } from './playlist.ts';

/** A playlist after it, or a report or dataset that it shows, was given another name. */
export function renamedInPlaylist(playlist: PlaylistDefinition, thing: Renaming, to: string): PlaylistDefinition {
  return {
    ...playlist,
    name: nameAfter(playlist.name, 'playlist', thing, to),
    slots: playlist.slots.map((slot) => ({
      ...slot,
      ...('report' in slot.shows
        ? { shows: { ...slot.shows, report: nameAfter(slot.shows.report, 'report', thing, to) } }
        : {}),
      ...(slot.where ? { where: keysAfter(slot.where, 'dataset', thing, to) } : {}),
    })),
  };
}
