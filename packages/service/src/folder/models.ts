import type { BinnedKind } from '@underbell/core/access';
import { boolean, defineModel, filled, instant, json, key, refersTo, text, word } from '../platform/records/index.ts';

export const favourites = defineModel('favourites', {
  personId: key(refersTo(text(), 'people', 'person')),
  kind: key(word<BinnedKind>()),
  name: key(text()),
});

/** What people looked at. */
export const recents = defineModel('recents', {
  personId: key(refersTo(text(), 'people', 'person')),
  kind: key(word<BinnedKind>()),
  name: key(text()),
  at: instant(),
});

/** How the start page of a folder is. */
export const folderPages = defineModel('folder_pages', {
  folderName: key(refersTo(text(), 'folders', 'folder')),
  words: filled(text()),
  /** What comes first, as kind and name. */
  things: filled(json<readonly string[]>()),
  hasPictures: filled(boolean()),
  origins: filled(json<readonly string[]>()),
});
