import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatNumber, formatStep } from '../format/index.ts';
import type { AreaFigure, BarFigure, FigureResult, LineFigure } from '../report/index.ts';
import {
  axisStyle,
  baseOption,
  labelSize,
  legendHeight,
  legendOption,
  referenceLines,
  smallestFont,
  tooltipOption,
  valueText,
  type ChartStyle,
} from './style.ts';
import { shorten } from '../theme/index.ts';
import { isIncomplete, rawText, readSeries, type ChartData, type Series } from './series.ts';

/** An axis needs no more digits than its steps have. */
const axisFormat = (format: string | undefined) => format?.replace(/\.[0#]+/, '.##');

/**
 * What is drawn over a line at the ends that are incomplete: the stretch to it dashed, its point hollow. Lines have one style
 * from end to end, so what is behind is drawn over it.
 *
 * @param heights - of each point of the line, which stands on others where they are stacked
 */
function incompleteEnds(
  result: FigureResult,
  { categories }: Pick<ChartData, 'categories'>,
  heights: readonly (number | null)[],
  { colour, behind, pointSize = 0 }: { colour: string; behind: string; pointSize?: number },
): object[] {
  const last = categories.length - 1;
  const ends = [
    { at: 0, beside: 1 },
    { at: last, beside: last - 1 },
  ].filter(({ at }, i) => isIncomplete(result, categories[at]) && (i === 0 || last > 0));
  return ends.map(({ at, beside }) => ({
    type: 'line',
    data: categories.map((_, i) => ({
      value: i === at || i === beside ? heights[i] : null,
      symbol: 'circle',
      symbolSize: i === at ? 7 : pointSize,
      itemStyle: i === at ? { color: behind, borderColor: colour, borderWidth: 1.6 } : { color: colour },
    })),
    showAllSymbol: true,
    lineStyle: { color: behind, width: 2.4, type: [3, 4] },
    silent: true,
    animation: false,
    z: 4,
    tooltip: { show: false },
  }));
}

/** The heights of each series; stacked, each stands on those before it. */
function heightsOf(series: readonly Series[], isStacked: boolean): (number | null)[][] {
  const sums: number[] = [];
  return series.map(({ values }) =>
    values.map((value, i) => {
      if (!isStacked || value === null) return value;
      return (sums[i] = (sums[i] ?? 0) + value);
    }),
  );
}

export function lineOption(figure: LineFigure | AreaFigure, result: FigureResult, style: ChartStyle): EChartsOption {
  const { theme, taste } = style;
  const data = readSeries(figure, result);
  const { categories, series, by } = data;
  const dates = categories.map(String);
  const pointSize = dates.length > 45 ? 0 : dates.length > 20 ? 4 : 6;
  const every = Math.max(1, Math.ceil(dates.length / Math.max(2, Math.floor(style.width / 74))));
  const format = axisFormat(series[0]?.column.format);
  const isArea = figure.kind === 'area';
  const names = series.map((one) => one.name);
  const legend = legendHeight(style, names, figure);
  const hasAxis = style.width >= 180;
  return {
    ...baseOption(style),
    ...tooltipOption(style),
    ...legendOption(style, names, figure),
    grid: {
      left: hasAxis ? 54 : 8,
      right: 18,
      top: 12 + legend + (result.lines?.length ? 10 : 0),
      bottom: 26,
    },
    xAxis: {
      type: 'category',
      data: dates,
      boundaryGap: false,
      ...axisStyle(theme),
      axisLabel: {
        color: theme.quiet,
        fontSize: 12,
        interval: (index: number) => index % every === 0,
        formatter: (date: string) => formatStep(date, by.step, taste.locale, 'axis'),
      },
    },
    yAxis: {
      type: 'value',
      scale: !isArea,
      ...axisStyle(theme),
      splitNumber: Math.max(2, Math.floor(style.height / 60)),
      axisLabel: {
        show: hasAxis,
        color: theme.quiet,
        fontSize: 12,
        formatter: (value: number) => formatNumber(value, format, taste.locale),
      },
    },
    series: [
      ...series.map((one) => ({
        type: 'line',
        name: one.name,
        data: one.values.map((value, i) => ({ value, name: rawText(categories[i]) })),
        ...(isArea ? { areaStyle: { opacity: 0.35 }, ...(figure.split ? { stack: 'all' } : {}) } : {}),
        // A lone point has no line to show it.
        symbol: pointSize === 0 ? 'none' : 'circle',
        symbolSize: pointSize,
        showAllSymbol: true,
        lineStyle: { width: 1.8 },
        cursor: style.isPrint ? 'default' : 'pointer',
        tooltip: { valueFormatter: valueText(style, one.column) },
      })),
      ...heightsOf(series, isArea && figure.split !== undefined).flatMap((heights, i) =>
        incompleteEnds(result, data, heights, {
          colour: theme.series[i % theme.series.length]!,
          behind: theme.raised,
          pointSize,
        }),
      ),
      ...(series[0] && dates.length > 0
        ? referenceLines(result, style, { value: 'y', ends: [0, dates.length - 1], column: series[0].column })
        : []),
    ],
  } as EChartsOption;
}

/** A round step, so that a range has two or three of them. */
function niceStep(range: number): number {
  if (!(range > 0) || !Number.isFinite(range)) return 1;
  const power = 10 ** Math.floor(Math.log10(range / 2));
  return [1, 2, 5, 10].map((one) => one * power).find((one) => one >= range / 2.5)!;
}

const panelWidth = 190;
const panelGap = 14;

/** A small chart for each value, all on one scale so that they can be compared. */
export function panelsOption(
  figure: BarFigure | LineFigure | AreaFigure,
  result: FigureResult,
  style: ChartStyle,
): EChartsOption {
  const { theme, taste } = style;
  const data = readSeries(figure, result);
  const { categories, series, by } = data;
  const across = Math.max(1, Math.min(series.length, Math.floor((style.width + panelGap) / panelWidth)));
  const down = Math.max(1, Math.ceil(series.length / across));
  const width = (style.width - (across - 1) * panelGap) / across;
  const height = style.height / down;
  const left = (i: number) => (i % across) * (width + panelGap);
  const top = (i: number) => 3 + Math.floor(i / across) * height;
  const values = series.flatMap((one) => one.values.filter((value) => value !== null));
  const step = niceStep(
    Math.max(...values, 0) - (figure.kind === 'line' ? Math.min(...values, Infinity) : Math.min(0, ...values)),
  );
  const most = Math.ceil(Math.max(...values, 0) / step) * step;
  const least = Math.floor((figure.kind === 'line' ? Math.min(...values, most) : Math.min(0, ...values)) / step) * step;
  const format = axisFormat(series[0]?.column.format);
  const isDate = by.type === 'date';
  return {
    ...baseOption(style),
    ...tooltipOption(style),
    title: series.map((one, i) => ({
      text: shorten(one.name, width / 1.06, labelSize),
      left: left(i),
      top: top(i),
      padding: 0,
      textStyle: { color: theme.ink, fontSize: 12, fontWeight: 600 },
    })),
    grid: series.map((_, i) => ({
      left: left(i) + 40,
      top: top(i) + 20,
      width: Math.max(20, width - 46),
      height: Math.max(16, height - 46),
    })),
    xAxis: series.map((_, i) => ({
      type: 'category' as const,
      gridIndex: i,
      data: categories.map((one) => (isDate ? String(one) : rawText(one))),
      boundaryGap: figure.kind === 'bar',
      ...axisStyle(theme),
      axisLabel: {
        color: theme.quiet,
        fontSize: smallestFont,
        interval: Math.max(0, Math.ceil(categories.length / 2) - 1),
        hideOverlap: true,
        formatter: (text: string) =>
          isDate ? formatStep(text, by.step, taste.locale, 'axis') : shorten(text, width / 2, smallestFont),
      },
    })),
    yAxis: series.map((_, i) => ({
      type: 'value' as const,
      gridIndex: i,
      min: least,
      max: most,
      interval: step,
      ...axisStyle(theme),
      axisLabel: {
        color: theme.quiet,
        fontSize: smallestFont,
        hideOverlap: true,
        formatter: (value: number) => formatNumber(value, format, taste.locale),
      },
    })),
    series: series.flatMap((one, i) => [
      {
        type: figure.kind === 'bar' ? ('bar' as const) : ('line' as const),
        name: one.name,
        xAxisIndex: i,
        yAxisIndex: i,
        data: one.values.map((value, at) => ({
          value,
          name: rawText(categories[at]),
          ...(figure.kind === 'bar' && isIncomplete(result, categories[at]) ? { itemStyle: { opacity: 0.45 } } : {}),
        })),
        symbol: 'none',
        ...(figure.kind === 'area' ? { areaStyle: { opacity: 0.35 } } : {}),
        lineStyle: { width: 1.6, color: theme.series[0]! },
        itemStyle: { color: theme.series[0]! },
        tooltip: { valueFormatter: valueText(style, one.column) },
      },
      ...(figure.kind === 'bar'
        ? []
        : incompleteEnds(result, data, one.values, { colour: theme.series[0]!, behind: theme.raised })
      ).map((end) => ({ ...end, xAxisIndex: i, yAxisIndex: i })),
    ]),
  } as EChartsOption;
}
