import type { CopyFormat } from '@underbell/core/burst';
import type { InvalidRowAction, SkippedRows } from '@underbell/core/check';
import type { ColumnType, FileDialect } from '@underbell/core/dataset';
import type { ListOrigin } from '@underbell/core/list';
import {
  day,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  text,
  type RowOf,
} from '../platform/records/index.ts';

export const lists = defineModel('lists', {
  name: key(text()),
  columns: json<string[]>(),
  idColumn: text(),
  addressColumn: text(),
  version: integer(),
  loadedAt: instant(),
  /** Where its rows are read from before each plan; nothing for a file. */
  origin: nullable(json<ListOrigin>()),
  activeFromColumn: nullable(text()),
  activeToColumn: nullable(text()),
  /** Columns that say how a recipient wants copies. */
  roles: filled(json<{ readonly language?: string; readonly timeZone?: string; readonly format?: string }>()),
  /** Column -> what its cells must be. */
  types: filled(json<Readonly<Record<string, ColumnType>>>()),
  /** How the file was written that it was loaded from. */
  fileDialect: nullable(json<FileDialect>()),
  invalidRows: filled(oneOf<InvalidRowAction>('reject', 'skip')),
  /** What the newest version was loaded without. */
  skipped: nullable(json<SkippedRows>()),
});
export type ListRow = RowOf<typeof lists>;

/** Recipients, in each version of their list. */
export const listRows = defineModel('list_rows', {
  listName: key(refersTo(text(), 'lists', 'list')),
  version: key(integer()),
  position: key(integer()),
  recipient: text(),
  address: text(),
  cells: json<Record<string, string>>(),
  activeFrom: nullable(day()),
  activeTo: nullable(day()),
  language: nullable(text()),
  timeZone: nullable(text()),
  formats: nullable(json<CopyFormat[]>()),
});
