import type { BinnedKind } from '@underbell/core/access';
import { defineModel, instant, key, refersTo, text, word } from '../platform/records/index.ts';

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
