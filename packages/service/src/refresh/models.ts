import type { FileDialect } from '@underbell/core/dataset';
import type { FileColumn, FileKind } from '../dataset/index.ts';
import {
  bigint,
  defineModel,
  filled,
  instant,
  json,
  key,
  oneOf,
  refersTo,
  text,
  type RowOf,
} from '../platform/records/index.ts';

/** A file that was looked at and waits to be loaded. */
export const uploads = defineModel('uploads', {
  id: key(text()),
  personId: refersTo(text(), 'people', 'person'),
  fileName: text(),
  kind: oneOf<FileKind>('csv', 'jsonl', 'xlsx'),
  path: text(),
  sizeBytes: bigint(),
  rowCount: bigint(),
  columns: json<FileColumn[]>(),
  createdAt: instant(),
  /** As far as the file itself and what was said of it tell. */
  dialect: filled(json<FileDialect>()),
});
export type UploadRow = RowOf<typeof uploads>;
