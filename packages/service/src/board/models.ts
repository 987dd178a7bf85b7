import type { BoardDefinition } from '@underbell/core/board';
import {
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  refersTo,
  text,
  type RowOf,
} from '../platform/records/index.ts';

export const boards = defineModel('boards', {
  name: key(text()),
  title: text(),
  definition: json<BoardDefinition>(),
  /** Counts its changes. */
  version: filled(integer()),
  folderName: nullable(refersTo(text(), 'folders', 'folder')),
  changedAt: instant(),
  changedBy: text(),
  deletedAt: nullable(instant()),
  deletedBy: nullable(text()),
  /** Who changed it, by number; null where that is not known. */
  writerId: nullable(text()),
});
export type BoardRow = Omit<RowOf<typeof boards>, 'folderName' | 'deletedBy'>;
