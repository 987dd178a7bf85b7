import { defineModel, instant, key, nullable, text, type RowOf } from '../platform/records/index.ts';

export const sources = defineModel('sources', {
  name: key(text()),
  sealedUrl: text(),
  shownUrl: text(),
  checkedAt: nullable(instant()),
  /** What the source answered when it last did not let us in. */
  checkError: nullable(text()),
});
export type SourceRow = RowOf<typeof sources>;
