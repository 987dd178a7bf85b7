import type { Cell } from '../filter/index.ts';
import { formatStep, missingMark, type FormatOptions } from '../format/index.ts';
import type { ChartFigure, FigureResult, ResultColumn } from '../report/index.ts';

/** One series over all categories; a missing value is null. */
export interface Series {
  readonly name: string;
  readonly column: ResultColumn;
  readonly values: readonly (number | null)[];
  /** Row of the answer behind each value, for its colour. */
  readonly rows: readonly (number | undefined)[];
}

export interface ChartData {
  readonly by: ResultColumn;
  /** Raw values of the axis, in order. */
  readonly categories: readonly Cell[];
  readonly series: readonly Series[];
}

/** More series than colours tell nothing apart. */
const maxSplits = 7;
const maxPanels = 12;

const toNumber = (cell: Cell | undefined): number | null => (typeof cell === 'number' ? cell : null);

/** What a mark stands for, as choices name it. */
export const rawText = (cell: Cell | undefined): string =>
  cell === null || cell === undefined ? missingMark : String(cell);

/** The long answer of a chart as series; those with the most go first. */
export function readSeries(figure: Exclude<ChartFigure, { kind: 'scatter' }>, result: FigureResult): ChartData {
  const by = result.columns[0]!;
  const series = figure.split ?? figure.each;
  if (series === undefined) {
    return {
      by,
      categories: result.rows.map((row) => row[0] ?? null),
      series: result.columns.slice(1).map((column, i) => ({
        name: column.label,
        column,
        values: result.rows.map((row) => toNumber(row[i + 1])),
        rows: result.rows.map((_, row) => row),
      })),
    };
  }
  const column = result.columns[2]!;
  const categories = [...new Set(result.rows.map((row) => row[0] ?? null))];
  const at = new Map(categories.map((one, i) => [one, i]));
  const found = new Map<Cell, { values: (number | null)[]; rows: (number | undefined)[]; sum: number }>();
  result.rows.forEach((row, index) => {
    const name = row[1] ?? null;
    const one = found.get(name) ?? { values: categories.map(() => null), rows: [], sum: 0 };
    found.set(name, one);
    const value = toNumber(row[2]);
    one.values[at.get(row[0] ?? null)!] = value;
    one.rows[at.get(row[0] ?? null)!] = index;
    one.sum += value ?? 0;
  });
  const shown = [...found].sort((a, b) => b[1].sum - a[1].sum).slice(0, figure.split ? maxSplits : maxPanels);
  return {
    by,
    categories,
    series: shown.map(([name, { values, rows }]) => ({ name: rawText(name), column, values, rows })),
  };
}

/** What a reader has to know beside a chart: series that it leaves out, periods that are not complete. */
export function chartNote(figure: ChartFigure, result: FigureResult, { locale }: FormatOptions): string | undefined {
  if (figure.kind === 'scatter') return undefined;
  const most = figure.split ? maxSplits : figure.each ? maxPanels : undefined;
  const found = new Set(result.rows.map((row) => row[1] ?? null)).size;
  const periods = (result.incomplete ?? []).map((start) => formatStep(start, result.columns[0]?.step, locale));
  const isOmitted = figure.incompletePeriods === 'omit';
  const notes = [
    ...(most !== undefined && found > most ? [`the largest ${most} of ${found} are shown`] : []),
    ...(periods.length > 0
      ? [`${periods.join(' and ')} ${periods.length > 1 ? 'are' : 'is'} incomplete${isOmitted ? ' and left out' : ''}`]
      : []),
  ];
  return notes.length === 0 ? undefined : notes.join('; ');
}

/** Which of a chart's categories are periods that rows fill in part only. */
export const isIncomplete = (result: FigureResult, category: Cell | undefined): boolean =>
  typeof category === 'string' && (result.incomplete?.includes(category) ?? false);
