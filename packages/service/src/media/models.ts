import type { MediaType } from '@underbell/core/media';
import {
  bigint,
  defineModel,
  instant,
  integer,
  key,
  nullable,
  refersTo,
  text,
  word,
  type RowOf,
} from '../platform/records/index.ts';

/** Pictures and videos, by name. */
export const media = defineModel('media', { name: key(text()), title: text() });
export type MediaRow = Readonly<RowOf<typeof media>>;

/** Each as it was put in; what was published shows the one that it was published with. */
export const mediaVersions = defineModel('media_versions', {
  mediaName: key(refersTo(text(), 'media', 'media')),
  number: key(integer()),
  type: word<MediaType>(),
  fileName: text(),
  sizeBytes: bigint(),
  hash: text(),
  width: nullable(integer()),
  height: nullable(integer()),
  addedBy: text(),
  addedAt: instant(),
});
export type VersionRow = Readonly<RowOf<typeof mediaVersions>>;
