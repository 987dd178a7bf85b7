import type { ValueType } from '../dataset/index.ts';
import type { Cell } from '../filter/index.ts';
import type { Calculation } from '../report/index.ts';

/** A column of a sheet. */
export interface SheetColumn {
  readonly heading: string;
  readonly type: ValueType;
  readonly format?: string;
  /** How it follows from other columns of the sheet: it stays a formula, and its values are what it last gave. */
  readonly calculation?: Calculation;
}

/** Colours cells for as long as a comparison of their row holds, also when somebody changes a number. */
export interface Highlight {
  /** Index of the column that is compared. */
  readonly column: number;
  readonly op: '=' | '<>' | '<' | '<=' | '>' | '>=';
  readonly value: number;
  /** Index of the column that is coloured; the whole row when left out. */
  readonly shown?: number;
  readonly tone: 'good' | 'warn' | 'bad' | 'quiet';
}

/** One sheet: typed columns in a table with a frozen heading and a filter, and a sum line when there is one. */
export interface Sheet {
  readonly title: string;
  readonly columns: readonly SheetColumn[];
  readonly rows: readonly (readonly Cell[])[];
  readonly total?: readonly Cell[];
  readonly highlights?: readonly Highlight[];
}
