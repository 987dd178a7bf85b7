import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatCell } from '../format/index.ts';
import type { BarFigure, FigureResult } from '../report/index.ts';
import {
  axisStyle,
  baseOption,
  labelWidth,
  labelSize,
  legendHeight,
  legendOption,
  referenceLines,
  smallestFont,
  toneAt,
  toneColour,
  toneSigns,
  tooltipOption,
  valueText,
  type ChartStyle,
} from './style.ts';
import { isIncomplete, rawText, readSeries, type ChartData } from './series.ts';

interface Bars extends ChartData {
  readonly names: readonly string[];
  /** Everything beyond the limit stands last. */
  readonly hasOthers: boolean;
}

export const othersName = 'Others';

function barsOf(figure: BarFigure, result: FigureResult, style: ChartStyle): Bars {
  const data = readSeries(figure, result);
  const name = (cell: (typeof data.categories)[number]) => formatCell(cell, data.by, style.taste);
  const others = result.others;
  const names = [...data.categories.map(name), ...(others ? [othersName] : [])];
  const before = new Map((result.before?.rows ?? []).map((row) => [row[0], row[1]]));
  const own = data.series.map((one) => ({
    ...one,
    values: [...one.values, ...(others ? [(others[1] as number | null) ?? null] : [])],
  }));
  const earlier = result.before
    ? [
        {
          ...own[0]!,
          name: result.before.words,
          rows: [],
          values: data.categories.map((one) => (before.get(one) as number | undefined) ?? null),
        },
      ]
    : [];
  return { ...data, series: [...own, ...earlier], names, hasOthers: others !== undefined };
}

const isEarlier = (result: FigureResult, bars: Bars, series: number) =>
  result.before !== undefined && series === bars.series.length - 1;

/** The earlier period stands behind in grey, in the legend as well. */
function seriesColour({ theme }: ChartStyle, result: FigureResult, bars: Bars, series: number): string {
  return isEarlier(result, bars, series) ? theme.faded : theme.series[series % theme.series.length]!;
}

function colourOf(style: ChartStyle, result: FigureResult, bars: Bars, series: number, index: number): string {
  const { theme, picked = [] } = style;
  const one = bars.series[series]!;
  const usual = seriesColour(style, result, bars, series);
  if (isEarlier(result, bars, series)) return usual;
  if (bars.hasOthers && index === bars.names.length - 1) return theme.quiet;
  if (picked.length > 0 && !picked.includes(rawText(bars.categories[index]))) return theme.faded;
  const tone = toneAt(result, one.rows[index]);
  return tone ? toneColour(tone, theme) : usual;
}

/** Shares of the whole: each stack fills the axis. */
function asShares(bars: Bars): Bars {
  const sums = bars.names.map((_, i) => bars.series.reduce((sum, one) => sum + Math.abs(one.values[i] ?? 0), 0));
  return {
    ...bars,
    series: bars.series.map((one) => ({
      ...one,
      column: { ...one.column, format: '0.0 %', unit: undefined },
      values: one.values.map((value, i) => (value === null || sums[i] === 0 ? null : value / sums[i]!)),
    })),
  } as Bars;
}

/** A bar lies flat when its names are many or long, so that every name can be read; dates stand. */
export function barOption(figure: BarFigure, result: FigureResult, style: ChartStyle): EChartsOption {
  const found = barsOf(figure, result, style);
  const bars = figure.stack === 'share' ? asShares(found) : found;
  const { theme } = style;
  const isFlat = bars.by.type !== 'date';
  const isStacked = figure.split !== undefined && figure.stack !== 'beside';
  const order = bars.names.map((_, i) => i);
  if (isFlat) order.reverse();
  const beside = isStacked ? 1 : bars.series.length;
  const legendNames = bars.series.map((one) => one.name);
  const legend = legendHeight(style, legendNames, figure);
  const hasLines = isFlat && (result.lines?.length ?? 0) > 0;
  const top = (legend > 0 ? legend + 10 : 6) + (hasLines ? 14 : 0);
  const room = Math.floor((style.height - top - 14) / Math.max(1, bars.names.length));
  const longest = Math.max(...bars.names.map(labelWidth), labelSize);
  const nameWidth = Math.min(longest + 4, style.width * 0.4);
  const column = bars.series[0]?.column;
  const text = column ? valueText(style, column) : String;
  const shortText = (value: unknown) =>
    typeof value === 'number' && column ? formatCell(value, column, style.taste) : '';
  const isHidden = figure.hide?.includes('labels') ?? false;
  const hasLabels =
    !isHidden && !isStacked && (isFlat ? room / beside >= smallestFont + 2 : false) && style.width >= 220;
  const labelOf = (series: number, index: number) => {
    const tone = toneAt(result, bars.series[series]!.rows[index]);
    return `${shortText(bars.series[series]!.values[index])}${tone && tone !== 'quiet' ? ` ${toneSigns[tone]}` : ''}`;
  };
  const labelStyle = (series: number, index: number) => {
    const tone = toneAt(result, bars.series[series]!.rows[index]);
    return { formatter: labelOf(series, index), ...(tone ? { color: toneColour(tone, theme) } : {}) };
  };
  const valueWidth = hasLabels ? Math.max(...bars.names.map((_, i) => labelWidth(labelOf(0, i))), 20) + 10 : 14;
  // Without values at the bars' ends the axis says how long they are.
  const hasAxis = !isFlat || isStacked || isHidden;
  const names = order.map((i) => bars.names[i]!);
  const category = {
    type: 'category' as const,
    data: names,
    ...axisStyle(theme),
    axisLabel: isFlat
      ? {
          color: theme.ink,
          fontSize: labelSize,
          width: nameWidth,
          overflow: 'truncate' as const,
          interval: room >= smallestFont + 1 ? 0 : ('auto' as const),
        }
      : { color: theme.quiet, fontSize: labelSize, hideOverlap: true },
  };
  const value = {
    type: 'value' as const,
    ...axisStyle(theme),
    ...(figure.stack === 'share' ? { max: 1 } : {}),
    axisLabel: {
      show: hasAxis,
      color: theme.quiet,
      fontSize: labelSize,
      hideOverlap: true,
      formatter: (one: number) => shortText(one),
    },
    splitLine: { show: hasAxis, lineStyle: { color: theme.line, width: 0.7 } },
    splitNumber: Math.max(2, Math.floor(isFlat ? style.width / 110 : style.height / 60)),
  };
  return {
    ...baseOption(style),
    ...tooltipOption(style),
    ...legendOption(style, legendNames, figure),
    grid: isFlat
      ? { left: nameWidth + 12, right: valueWidth, top, bottom: hasAxis ? 26 : 8 }
      : { left: 54, right: 14, top: top + 4, bottom: 26 },
    xAxis: isFlat ? value : category,
    yAxis: isFlat ? category : value,
    series: [
      ...bars.series.map((one, series) => ({
        type: 'bar' as const,
        name: one.name,
        ...(isStacked ? { stack: 'all' } : {}),
        data: order.map((i) => ({
          value: one.values[i] ?? null,
          name: i < bars.categories.length ? rawText(bars.categories[i]) : '',
          itemStyle: {
            color: colourOf(style, result, bars, series, i),
            ...(isIncomplete(result, bars.categories[i])
              ? { opacity: 0.45, borderColor: theme.ink, borderWidth: 1, borderType: 'dashed' as const }
              : {}),
            ...(isStacked ? {} : { borderRadius: isFlat ? [0, 2, 2, 0] : [2, 2, 0, 0] }),
          },
          label: labelStyle(series, i),
        })),
        barMaxWidth: 22,
        barCategoryGap: '28%',
        itemStyle: { color: seriesColour(style, result, bars, series) },
        label: { show: hasLabels, position: 'right' as const, color: theme.ink, fontSize: labelSize },
        tooltip: { valueFormatter: text },
        cursor: style.isPrint ? 'default' : 'pointer',
      })),
      ...(column && bars.names.length > 0
        ? referenceLines(result, style, { value: isFlat ? 'x' : 'y', ends: [0, bars.names.length - 1], column })
        : []),
    ],
  } as EChartsOption;
}
