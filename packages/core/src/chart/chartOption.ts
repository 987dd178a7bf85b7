import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatCell, type FormatOptions } from '../format/index.ts';
import type { ChartFigure, FigureResult } from '../report/index.ts';
import { barOption } from './barOption.ts';
import { lineOption, panelsOption } from './lineOption.ts';
import type { ChartStyle } from './style.ts';
import { scatterOption } from './scatterOption.ts';

/** The one chart builder: browser and print draw the same option. */
export function chartOption(figure: ChartFigure, result: FigureResult, style: ChartStyle): EChartsOption {
  if (figure.kind === 'scatter') return scatterOption(figure, result, style);
  if (figure.each !== undefined) return panelsOption(figure, result, style);
  return figure.kind === 'bar' ? barOption(figure, result, style) : lineOption(figure, result, style);
}

const kinds: Readonly<Record<ChartFigure['kind'], string>> = {
  bar: 'bars',
  line: 'points of a line',
  area: 'points of an area',
  scatter: 'points',
};

/** What a chart says, for those who do not see it. */
export function chartInWords(figure: ChartFigure, result: FigureResult, taste: FormatOptions): string {
  const { rows, columns } = result;
  const group = columns[0];
  const measure = columns.find((one) => one.role === 'measure');
  if (rows.length === 0 || !group || !measure) return `${figure.title}: no data`;
  const at = columns.indexOf(measure);
  const named = (row: (typeof rows)[number]) =>
    `${formatCell(row[0], group, taste)} with ${formatCell(row[at], measure, taste)}`;
  const sorted = rows.filter((row) => typeof row[at] === 'number').toSorted((a, b) => Number(b[at]) - Number(a[at]));
  const extremes = sorted.length > 1 ? `, highest ${named(sorted[0]!)}, lowest ${named(sorted.at(-1)!)}` : '';
  const course = group.type === 'date' ? `, from ${named(rows[0]!)} to ${named(rows.at(-1)!)}` : '';
  return `${figure.title}: ${rows.length} ${kinds[figure.kind]} of ${measure.label}${course}${extremes}`;
}
