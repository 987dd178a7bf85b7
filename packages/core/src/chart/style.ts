import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatNumber, missingMark, type FormatOptions } from '../format/index.ts';
import type { ChartFigure, FigureResult, ResultColumn, Tone } from '../report/index.ts';
import { drawnFontFamily, fontFamily, textWidth, type ThemeTokens } from '../theme/index.ts';

export interface ChartStyle {
  readonly theme: ThemeTokens;
  readonly taste: FormatOptions;
  /** Pixels; charts drop what they cannot show legibly. */
  readonly width: number;
  readonly height: number;
  /** Values of the grouping column that the reader picked. */
  readonly picked?: readonly string[];
  /** Print has no pointer, so no tooltips and no movement. */
  readonly isPrint?: boolean;
  /** The reader asked for less motion. */
  readonly isStill?: boolean;
  /** The host's font, when it gave one. */
  readonly font?: string;
}

export const smallestFont = 11;
/** Of names and values in charts, pixels. */
export const labelSize = 12;
/** How wide a label is; a host’s own font may be a little wider than ours. */
export const labelWidth = (text: string) => textWidth(text, labelSize) * 1.05;

/** A sign beside each colour, so that no state is told by colour alone. */
export const toneSigns: Readonly<Record<Tone, string>> = { good: '●', warn: '◆', bad: '▼', quiet: '○' };

export function toneColour(tone: Tone, theme: ThemeTokens): string {
  return { good: theme.good, warn: theme.brass, bad: theme.signal, quiet: theme.quiet }[tone];
}

export function toneAt(result: FigureResult, row: number | undefined, column?: number): Tone | undefined {
  if (row === undefined) return undefined;
  const fitting = result.tones?.filter(
    (one) => one.row === row && (one.column === undefined || column === undefined || one.column === column),
  );
  return (fitting?.find((one) => one.column !== undefined) ?? fitting?.[0])?.tone;
}

export function baseOption(style: ChartStyle): EChartsOption {
  return {
    animation: !style.isPrint && !style.isStill,
    animationDuration: 250,
    animationDurationUpdate: 200,
    color: [...style.theme.series],
    textStyle: {
      fontFamily: style.isPrint ? drawnFontFamily : (style.font ?? fontFamily),
      color: style.theme.ink,
      fontSize: 12,
    },
  };
}

export const axisStyle = (theme: ThemeTokens) => ({
  axisLine: { lineStyle: { color: theme.line } },
  axisTick: { show: false },
  axisLabel: { color: theme.quiet, fontSize: 12, margin: 8, hideOverlap: true },
  splitLine: { lineStyle: { color: theme.line, width: 0.7 } },
});

export function tooltipOption(style: ChartStyle, trigger: 'axis' | 'item' = 'axis'): EChartsOption {
  const { theme } = style;
  if (style.isPrint) return {};
  return {
    tooltip: {
      trigger,
      axisPointer: { type: 'shadow', shadowStyle: { color: theme.faded, opacity: 0.25 } },
      backgroundColor: theme.raised,
      borderColor: theme.line,
      textStyle: { color: theme.ink, fontSize: 13 },
      confine: true,
      renderMode: 'richText',
    },
  };
}

export const valueText = (style: ChartStyle, column: ResultColumn) => (value: unknown) =>
  typeof value === 'number'
    ? `${formatNumber(value, column.format, style.taste.locale)}${column.unit ? ` ${column.unit}` : ''}`
    : missingMark;

const hasLegend = (style: ChartStyle, names: readonly string[], { hide }: Pick<ChartFigure, 'hide'>) =>
  style.isPrint === true && names.length > 1 && !hide?.includes('legend');

export function legendOption(
  style: ChartStyle,
  names: readonly string[],
  figure: Pick<ChartFigure, 'hide'>,
): EChartsOption {
  // On a page the legend stands beside the chart as text.
  if (!hasLegend(style, names, figure)) return {};
  return {
    legend: {
      data: [...names],
      top: 0,
      left: 0,
      right: 4,
      textStyle: { color: style.theme.ink, fontSize: 12 },
      itemHeight: 8,
      itemWidth: 14,
    },
  };
}

const legendLine = 18;
/** Beside the text of each entry: its mark, and the gaps. */
const legendMark = 34;

/** How much of a printed chart's height its legend takes, in as many lines as its names need; 0 without one. Pixels. */
export function legendHeight(style: ChartStyle, names: readonly string[], figure: Pick<ChartFigure, 'hide'>): number {
  if (!hasLegend(style, names, figure)) return 0;
  let lines = 1;
  let used = 0;
  for (const name of names) {
    const width = labelWidth(name) + legendMark;
    if (used > 0 && used + width > style.width) {
      lines++;
      used = 0;
    }
    used += width;
  }
  return lines * legendLine;
}

/**
 * Reference lines as series of their own, from one end of the other axis to the other.
 *
 * @param value - which axis holds the values
 * @param ends - where the lines begin and end on the other axis
 */
export function referenceLines(
  result: FigureResult,
  style: ChartStyle,
  options: { value: 'x' | 'y'; ends: readonly [number, number]; column: ResultColumn },
): object[] {
  const { value, ends, column } = options;
  const text = valueText(style, column);
  return (result.lines ?? []).map(({ label, value: at }) => ({
    type: 'line',
    name: label,
    data: ends.map((end) => (value === 'x' ? [at, end] : [end, at])),
    symbol: 'none',
    silent: true,
    animation: false,
    z: 3,
    color: style.theme.brass,
    lineStyle: { color: style.theme.brass, type: 'dashed', width: 1.3 },
    endLabel: {
      show: style.width >= 240,
      color: style.theme.brass,
      fontSize: smallestFont,
      align: value === 'x' ? 'left' : 'right',
      verticalAlign: 'bottom',
      offset: value === 'x' ? [-2, -8] : [-4, -3],
      formatter: `${label} ${text(at)}`,
    },
    tooltip: { valueFormatter: () => text(at) },
  }));
}
