import type { ColumnType } from '../dataset/index.ts';

/** Where a figure stands on the page's grid of 12 columns; rows and columns count from 1. */
export interface GridPlace {
  readonly column: number;
  readonly row: number;
  readonly width: number;
  readonly height: number;
}

interface FigureBase {
  readonly name: string;
  readonly title: string;
  readonly at: GridPlace;
  /** The only dataset of the report when left out. */
  readonly dataset?: string;
  /** CQL2 text that limits this figure's rows. */
  readonly where?: string;
}

/** One figure: the value of a measure. */
export interface NumberFigure extends FigureBase {
  readonly kind: 'number';
  readonly measure: string;
  /** A measure shown small beneath, for scale. */
  readonly beside?: string;
}

/** A measure for each value of a column. */
export interface BarFigure extends FigureBase {
  readonly kind: 'bar';
  readonly by: string;
  readonly measure: string;
  /** `value`: largest first; `name`: by the column. */
  readonly sort?: 'value' | 'name';
  readonly limit?: number;
}

/** Measures along a date. */
export interface LineFigure extends FigureBase {
  readonly kind: 'line';
  readonly by: string;
  readonly measures: readonly string[];
}

/** Measures grouped by columns, or the rows themselves when there are no measures. */
export interface TableFigure extends FigureBase {
  readonly kind: 'table';
  readonly columns: readonly string[];
  readonly measures?: readonly string[];
  readonly sort?: readonly { readonly by: string; readonly descending?: boolean }[];
  readonly limit?: number;
}

export interface TextFigure extends FigureBase {
  readonly kind: 'text';
  readonly text: string;
}

export type Figure = NumberFigure | BarFigure | LineFigure | TableFigure | TextFigure;
export type DataFigure = Exclude<Figure, TextFigure>;

export interface Measure {
  readonly label: string;
  /** Arithmetic over aggregates: `sum(on_time) / count()`. */
  readonly expression: string;
  /** The only dataset of the report when left out. */
  readonly dataset?: string;
  /** Unicode number pattern. */
  readonly format?: string;
  readonly unit?: string;
}

/** A named typed input, bound to a key (every dataset that has it) or to a column. */
export interface Parameter {
  readonly name: string;
  readonly label?: string;
  readonly type: ColumnType;
  readonly key?: string;
  readonly column?: string;
  readonly required?: boolean;
}

export interface Page {
  readonly name: string;
  readonly title: string;
  readonly where?: string;
  readonly figures: readonly Figure[];
  readonly print?: { readonly paper?: 'A4' | 'LETTER'; readonly orientation?: 'portrait' | 'landscape' };
}

/** A published definition in the format `underbell-report/1`. */
export interface ReportDefinition {
  readonly format: 'underbell-report/1';
  readonly name: string;
  readonly title: string;
  readonly description?: string;
  /** `shared`: the dataset may lack the key that a value filters by and is then shown whole. */
  readonly datasets: Readonly<Record<string, { readonly shared?: boolean }>>;
  readonly parameters?: readonly Parameter[];
  readonly measures: Readonly<Record<string, Measure>>;
  readonly where?: string;
  readonly pages: readonly Page[];
}

export const reportFormat = 'underbell-report/1';
export const gridColumns = 12;
