import type { CopyFormat } from '../burst/apiTypes/index.ts';
import type { InvalidRowAction, SkippedRows } from '../check/index.ts';
import type { ColumnType, FileDialect } from '../dataset/index.ts';

/** Where a list is read from before each plan: one row of a dataset, or one person of a group, is one recipient. */
export type ListOrigin =
  | { readonly dataset: string; readonly where?: string }
  /** `each` names an attribute with several values: a row for each of them. */
  | { readonly group: string; readonly each?: string };

/** What is known of a list beside its recipients. `At`: an instant, a `Date` before it is sent. */
export interface ListFacts<At = string> {
  readonly name: string;
  readonly version: number;
  readonly columns: readonly string[];
  readonly idColumn: string;
  readonly addressColumn: string;
  readonly activeFromColumn: string | null;
  readonly activeToColumn: string | null;
  /** Columns that say how a recipient wants copies. */
  readonly roles: { readonly language?: string; readonly timeZone?: string; readonly format?: string };
  /** Column -> what its cells must be. */
  readonly types: Readonly<Record<string, ColumnType>>;
  /** Nothing for a file. */
  readonly origin: ListOrigin | null;
  readonly fileDialect: FileDialect | null;
  readonly invalidRows: InvalidRowAction;
  /** What the newest version was loaded without. */
  readonly skipped: SkippedRows | null;
  readonly loadedAt: At;
}

/** A list in a list of them. */
export interface ListedList<At = string> extends ListFacts<At> {
  /** How many. */
  readonly recipients: number;
}

/** A list with its recipients. */
export interface ShownList<At = string> extends ListFacts<At> {
  readonly recipients: readonly {
    readonly id: string;
    readonly address: string;
    readonly values: Readonly<Record<string, string>>;
    readonly activeFrom?: string;
    readonly activeTo?: string;
    readonly language?: string;
    readonly timeZone?: string;
    readonly formats?: readonly CopyFormat[];
  }[];
}

/** What loading a list came to. */
export interface LoadedList {
  readonly skipped: SkippedRows | null;
  readonly name: string;
  readonly version: number;
  readonly recipients: number;
  readonly columns: readonly string[];
}
