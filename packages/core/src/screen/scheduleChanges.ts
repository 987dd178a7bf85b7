import type { PlaylistDefinition } from './playlist.ts';

/** Which slots of a playlist came, went, or are others than before; by name, in their order. */
export function playlistChanges(before: PlaylistDefinition | undefined, after: PlaylistDefinition) {
  const known = new Map(before?.slots.map((one) => [one.name, JSON.stringify(one)]));
  const names = new Set(after.slots.map((one) => one.name));
  return {
    added: after.slots.filter((one) => !known.has(one.name)).map((one) => one.name),
    removed: [...known.keys()].filter((name) => !names.has(name)),
    changed: after.slots
      .filter((one) => known.has(one.name) && known.get(one.name) !== JSON.stringify(one))
      .map((one) => one.name),
  };
}
