import type { ReportDefinition } from '@underbell/core/report';
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

export const reports = defineModel('reports', {
  name: key(text()),
  title: text(),
  /** The current one. */
  editionNumber: integer(),
  folderName: nullable(refersTo(text(), 'folders', 'folder')),
  deletedAt: nullable(instant()),
  deletedBy: nullable(text()),
  /** Counts how often names in its editions followed things that were renamed. */
  naming: filled(integer()),
});
export type ReportRow = Omit<RowOf<typeof reports>, 'folderName' | 'deletedBy'>;

export const editions = defineModel('editions', {
  reportName: key(refersTo(text(), 'reports', 'report')),
  number: key(integer()),
  definition: json<ReportDefinition>(),
  notes: filled(text()),
  publishedBy: text(),
  publishedAt: instant(),
  retiredAt: nullable(instant()),
  /** Who published it, by number; null where that is not known. */
  writerId: nullable(text()),
});
export type EditionRow = RowOf<typeof editions>;
