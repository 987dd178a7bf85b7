import type { Cell } from '../filter/index.ts';
import type { ResultColumn } from './figureQuery.ts';

/** A figure's answer: cells in the order of the columns; numbers as doubles, dates as `YYYY-MM-DD`, instants in milliseconds. */
export interface FigureResult {
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly (readonly Cell[])[];
  /** Why there is nothing: a mask keeps this figure from its viewer. */
  readonly refused?: { readonly code: string; readonly message: string };
}
