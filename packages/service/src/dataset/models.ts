import type { DatasetColumn, FileDialect } from '@underbell/core/dataset';
import {
  bigint,
  boolean,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  serial,
  text,
  type RowOf,
} from '../platform/records/index.ts';

export type DatasetKind = 'snapshot' | 'live';
export type RefreshCause = 'hand' | 'schedule' | 'upload' | 'webhook';

/** When a snapshot is loaded anew: an RFC 5545 rule, from when on, and in which time zone. */
export interface RefreshSchedule {
  readonly rule: string;
  readonly start: string;
  readonly timeZone: string;
}

export const datasets = defineModel('datasets', {
  name: key(text()),
  title: text(),
  sourceName: nullable(refersTo(text(), 'sources', 'source')),
  sql: nullable(text()),
  columns: json<DatasetColumn[]>(),
  /** Columns by which a snapshot is laid out; rows of a copy come in this order. */
  rowOrder: filled(json<string[]>()),
  revisionId: nullable(refersTo(integer(), 'revisions', 'revision')),
  folderName: nullable(refersTo(text(), 'folders', 'folder')),
  deletedAt: nullable(instant()),
  deletedBy: nullable(text()),
  description: filled(text()),
  kind: filled(oneOf<DatasetKind>('snapshot', 'live')),
  /** How long an answer of a live dataset may be shown again. */
  keepSeconds: nullable(integer()),
  schedule: nullable(json<RefreshSchedule>()),
  nextRefreshAt: nullable(instant()),
  /** Set while the newest refresh has failed: what is shown is older than it should be. */
  staleSince: nullable(instant()),
  staleReason: nullable(text()),
  hookFingerprint: nullable(text()),
  /** Who hears of failures. */
  ownerEmail: nullable(text()),
  /** How the file was written that it was loaded from. */
  fileDialect: nullable(json<FileDialect>()),
});
export type DatasetRow = Omit<RowOf<typeof datasets>, 'folderName'>;

export const revisions = defineModel('revisions', {
  id: serial(),
  datasetName: refersTo(text(), 'datasets', 'dataset'),
  number: integer(),
  columns: json<DatasetColumn[]>(),
  tableName: text(),
  rowCount: filled(bigint()),
  state: oneOf('loading', 'ready', 'failed', 'refused', 'stopped', 'dropped'),
  error: nullable(text()),
  startedAt: instant(),
  finishedAt: nullable(instant()),
  cause: filled(oneOf<RefreshCause>('hand', 'schedule', 'upload', 'webhook')),
  startedBy: filled(text()),
  /** What the swap would have broken. */
  impact: filled(json<{ user: string; what: string }[]>()),
  stopAsked: filled(boolean()),
  /** When it last came to be shown. */
  shownAt: nullable(instant()),
});
export type RevisionRow = RowOf<typeof revisions>;
