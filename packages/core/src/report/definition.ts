import type { ColumnType, DateStep } from '../dataset/index.ts';

/** Where a figure stands on the page's grid of 12 columns; rows and columns count from 1. */
export interface GridPlace {
  readonly column: number;
  readonly row: number;
  readonly width: number;
  readonly height: number;
}

/** What a colour says. It never stands alone: each has a sign and a word. */
export type Tone = 'good' | 'warn' | 'bad' | 'quiet';
export const tones: readonly Tone[] = ['good', 'warn', 'bad', 'quiet'];

/** A colour by rule: where the condition over the figure's own answer holds. */
export interface ColourRule {
  /** CQL2 text over the columns and measures of the answer: `on_time_share < 0.8`. */
  readonly when: string;
  readonly tone: Tone;
  /** The column that is coloured; the whole row or mark when left out. */
  readonly column?: string;
  /** What it means, for legends and screen readers. */
  readonly words?: string;
}

/** A line across a chart at a fixed value or at a measure of all its rows. */
export interface ReferenceLine {
  readonly label: string;
  readonly at: number | string;
}

/** What a value is held against. */
export type Comparison =
  | { readonly with: 'period before' | 'year before'; readonly better?: 'more' | 'less' }
  | { readonly with: 'target'; readonly target: number | string; readonly better?: 'more' | 'less' };

interface FigureBase {
  readonly name: string;
  readonly title: string;
  readonly at: GridPlace;
  /** The only dataset of the report when left out. */
  readonly dataset?: string;
  /** CQL2 text that limits this figure's rows. */
  readonly where?: string;
  /** A page of the report that tells more; the reader's filters go along. */
  readonly link?: { readonly page: string };
  /** A sentence beneath the title. */
  readonly note?: string;
}

/** What a chart can leave out: the values or names at its marks, what its axes mean, what its colours mean. */
export const chartParts = ['labels', 'axis titles', 'legend'] as const;
export type ChartPart = (typeof chartParts)[number];

/** One figure: the value of a measure. */
export interface NumberFigure extends FigureBase {
  readonly kind: 'number';
  readonly measure: string;
  /** A measure shown small beneath, for scale. */
  readonly beside?: string;
  readonly compare?: Comparison;
  /** A small line of the measure along a date. */
  readonly trend?: { readonly along: string; readonly step?: DateStep };
  readonly incompletePeriods?: IncompletePeriods;
  readonly colours?: readonly ColourRule[];
}

/** How the first and last period are shown where rows fill them in part only: drawn so that it is seen, left out, or as any. */
export const incompletePeriodKinds = ['mark', 'omit', 'show'] as const;
export type IncompletePeriods = (typeof incompletePeriodKinds)[number];

interface AxisFigure extends FigureBase {
  readonly by: string;
  /** Dates are gathered by so much. */
  readonly step?: DateStep;
  readonly incompletePeriods?: IncompletePeriods;
  /** A series for each value of this column. */
  readonly split?: string;
  /** A small chart of its own for each value of this column. */
  readonly each?: string;
  readonly lines?: readonly ReferenceLine[];
  readonly hide?: readonly ChartPart[];
}

/** A measure for each value of a column. */
export interface BarFigure extends AxisFigure {
  readonly kind: 'bar';
  readonly measure: string;
  /** `value`: by the measure, largest first; `name`: by the column. */
  readonly sort?: 'value' | 'name';
  readonly ascending?: boolean;
  readonly limit?: number;
  /** What is beyond the limit becomes one last bar. */
  readonly others?: boolean;
  /** How the bars of a split stand. */
  readonly stack?: 'stacked' | 'beside' | 'share';
  readonly colours?: readonly ColourRule[];
  readonly compare?: Comparison;
  /** Columns that a mark opens into, one after the other. */
  readonly drill?: readonly string[];
}

/** Measures along a date. */
export interface LineFigure extends AxisFigure {
  readonly kind: 'line';
  readonly measures: readonly string[];
}

export interface AreaFigure extends AxisFigure {
  readonly kind: 'area';
  readonly measures: readonly string[];
}

/** A point for each value of a column. */
export interface ScatterFigure extends FigureBase {
  readonly kind: 'scatter';
  readonly by: string;
  readonly x: string;
  readonly y: string;
  /** A measure that the points' size follows. */
  readonly size?: string;
  readonly limit?: number;
  readonly lines?: readonly ReferenceLine[];
  readonly hide?: readonly ChartPart[];
}

/** Measures grouped by columns, or the rows themselves when there are no measures. */
export interface TableFigure extends FigureBase {
  readonly kind: 'table';
  readonly columns: readonly string[];
  readonly measures?: readonly string[];
  readonly sort?: readonly { readonly by: string; readonly descending?: boolean }[];
  readonly limit?: number;
  readonly totals?: boolean;
  /** The first columns, after each of whose values a sum line stands. */
  readonly subtotals?: readonly string[];
  readonly colours?: readonly ColourRule[];
}

/** A measure by columns down and one column across. */
export interface CrosstabFigure extends FigureBase {
  readonly kind: 'crosstab';
  readonly rows: readonly string[];
  readonly across: string;
  readonly step?: DateStep;
  readonly measure: string;
  readonly totals?: boolean;
  readonly limit?: number;
  readonly colours?: readonly ColourRule[];
}

/** Words; `{measure}` and `{param:name}` stand for values. */
export interface TextFigure extends FigureBase {
  readonly kind: 'text';
  readonly text: string;
}

/** Lets the reader set a parameter. */
export interface PickerFigure extends FigureBase {
  readonly kind: 'picker';
  readonly parameter: string;
  readonly look?: 'list' | 'search' | 'dates';
}

export type ChartFigure = BarFigure | LineFigure | AreaFigure | ScatterFigure;
export type Figure = NumberFigure | ChartFigure | TableFigure | CrosstabFigure | TextFigure | PickerFigure;
/** Figures that ask a dataset; a text does when it has measures in it. */
export type DataFigure = Exclude<Figure, PickerFigure>;

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

/** Values that may be chosen: a list, or those of a dataset's column that the reader may see. */
export type AllowedValues =
  | readonly string[]
  | {
      readonly dataset?: string;
      readonly column: string;
      /** The column that people read instead. */
      readonly shown?: string;
      /** Parameters whose values narrow what can be chosen here. */
      readonly within?: readonly string[];
    };

/** A named typed input, bound to a key (every dataset that has it) or to a column. */
export interface Parameter {
  readonly name: string;
  readonly label?: string;
  readonly type: ColumnType;
  readonly key?: string;
  readonly column?: string;
  readonly required?: boolean;
  /** Several values at once. */
  readonly many?: boolean;
  /** A stretch of days: `last month`, `2026-10`, `2026-09-14/2026-09-20`. Only for dates. */
  readonly period?: boolean;
  readonly default?: string | readonly string[];
  readonly allowed?: AllowedValues;
}

export interface Page {
  readonly name: string;
  readonly title: string;
  readonly where?: string;
  readonly figures: readonly Figure[];
  /** Names of the figures in the order for a narrow place; those left out do not stand there. */
  readonly narrow?: readonly string[];
  readonly print?: {
    readonly paper?: 'A4' | 'LETTER';
    readonly orientation?: 'portrait' | 'landscape';
    readonly header?: string;
    readonly footer?: string;
  };
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
