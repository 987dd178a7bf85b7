import type { SlotContent } from './playlist.ts';

/** What a slot shows, in a few words. */
export function contentWords(shows: SlotContent): string {
  if ('text' in shows) return shows.text;
  if ('board' in shows) return `board ${shows.board}`;
  if ('media' in shows) return shows.version === undefined ? shows.media : `${shows.media}, version ${shows.version}`;
  return [shows.report, shows.page, shows.figure].filter((one) => one !== undefined).join(', ');
}
