import type { CellDialect, FileDialect } from './dialect.ts';
import type { ColumnType, DatasetColumn } from './columns.ts';
import type { DialectQuestion, FoundCell, Misfits, NearType } from './infer.ts';

/** A dataset in a list of them. `At`: an instant, a `Date` before it is sent. */
export interface ListedDataset<At = string> {
  readonly name: string;
  readonly title: string;
  readonly kind: 'snapshot' | 'live';
  /** The source that it is read from; nothing for a file. */
  readonly source: string | null;
  /** How many. */
  readonly columns: number;
  readonly isLoaded: boolean;
  readonly rows?: number;
  readonly loadedAt?: At | null;
  readonly nextRefreshAt: At | null;
  readonly staleSince?: At;
  readonly staleReason?: string | null;
}

export interface ShownRevision<At = string> {
  readonly number: number;
  readonly rows: number;
  readonly state: 'loading' | 'ready' | 'failed' | 'refused' | 'stopped' | 'dropped';
  readonly error: string | null;
  readonly startedAt: At;
  readonly finishedAt: At | null;
  readonly cause: 'hand' | 'schedule' | 'upload' | 'webhook';
  readonly startedBy: string;
  /** What showing it would have broken. */
  readonly impact?: readonly { readonly user: string; readonly what: string }[];
  readonly isCurrent: boolean;
}

/** When a snapshot is loaded anew: an RFC 5545 rule, from when on, and in which time zone. */
export interface ShownSchedule {
  readonly rule: string;
  readonly start: string;
  readonly timeZone: string;
  readonly words: string;
}

/** A dataset as its page shows it. */
export interface ShownDataset<At = string> {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly kind: 'snapshot' | 'live';
  /** Of a live one: how long its answers are shown again. */
  readonly keepSeconds?: number;
  readonly source: string | null;
  /** For those who may change it. */
  readonly sql?: string | null;
  readonly columns: readonly DatasetColumn[];
  /** Columns by which its rows lie. */
  readonly order: readonly string[];
  readonly schedule: ShownSchedule | null;
  readonly nextRefreshAt: At | null;
  readonly hasHook: boolean;
  /** Who hears of failures. */
  readonly owner: string | null;
  readonly staleSince?: At;
  readonly staleReason?: string | null;
  /** The newest first. */
  readonly revisions: readonly ShownRevision<At>[];
}

/** How the data of a dataset is kept fresh, for those who may change that. */
export interface PlannedRefresh<At = string> {
  readonly name: string;
  readonly title: string;
  readonly kind: 'snapshot' | 'live';
  /** Of a live one: how long its answers are shown again. */
  readonly keepSeconds?: number;
  /** The source that it is read from; nothing for a file. */
  readonly source: string | null;
  readonly schedule: ShownSchedule | null;
  /** The next times, the first ones first. */
  readonly next: readonly At[];
  readonly hasHook: boolean;
  readonly staleSince?: At;
  readonly staleReason?: string | null;
  /** What came of the last load that ended. */
  readonly last?: Pick<ShownRevision<At>, 'state' | 'rows' | 'startedAt' | 'finishedAt' | 'cause'>;
  /** Of a load that is under way: rows so far, and how many there were before. */
  readonly loading?: { readonly rows: number; readonly of: number };
}

/** What stands in a column. */
export interface ColumnProfile {
  readonly name: string;
  readonly rows: number;
  readonly missing: number;
  readonly distinct: number;
  readonly smallest: string | null;
  readonly largest: string | null;
  readonly frequent: readonly { readonly value: string; readonly rows: number }[];
}

/** What loading came to. */
export interface LoadedDataset {
  readonly name: string;
  readonly revision: number;
  readonly rows: number;
  readonly columns: readonly DatasetColumn[];
}

/** Cells of a column that do not fit its type. */
export interface BadCells {
  readonly column: string;
  readonly cells: number;
  readonly first: readonly FoundCell[];
}

export interface NearColumn extends NearType {
  readonly column: string;
}

export interface LoadedFile extends LoadedDataset {
  readonly dialect: FileDialect;
  /** The same in words. */
  readonly readAs: string;
  /** What counts as missing because it did not fit. */
  readonly emptied: readonly BadCells[];
  /** Columns that are text although most of their cells fit another type. */
  readonly near: readonly NearColumn[];
}

export interface ExaminedFileColumn {
  readonly name: string;
  readonly heading: string;
  readonly type: ColumnType;
  readonly missing: number;
  readonly label?: string;
  readonly key?: string;
  readonly unit?: string;
  readonly samples: readonly string[];
  /** For every type the cells that do not fit it. */
  readonly misfits: readonly Misfits[];
  /** Of text: the type that most cells fit. */
  readonly near?: NearType;
}

/** A file that waits to be loaded: what it holds, how it is read, and what has to be said first. */
export interface ExaminedUpload {
  readonly id: string;
  readonly kind: 'csv' | 'jsonl' | 'xlsx';
  readonly fileName: string;
  readonly sizeBytes: number;
  readonly rows: number;
  readonly readAs: string;
  readonly dialect: FileDialect & CellDialect;
  readonly questions: readonly DialectQuestion[];
  readonly columns: readonly ExaminedFileColumn[];
}
