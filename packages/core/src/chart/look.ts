import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatNumber, missingMark, type ReaderTaste } from '../format/index.ts';
import type { FigureResult, ResultColumn, Tone } from '../report/index.ts';
import { fontFamily, type ThemeTokens } from '../theme/index.ts';

export interface ChartLook {
  readonly theme: ThemeTokens;
  readonly taste: ReaderTaste;
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
/** About the width of a character at 12 px. */
export const characterWidth = 6.6;

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

export function baseOption(look: ChartLook): EChartsOption {
  return {
    animation: !look.isPrint && !look.isStill,
    animationDuration: 250,
    animationDurationUpdate: 200,
    color: [...look.theme.series],
    textStyle: {
      fontFamily: look.isPrint ? 'Source Sans 3' : (look.font ?? fontFamily),
      color: look.theme.ink,
      fontSize: 12,
    },
    aria: { enabled: !look.isPrint },
  };
}

export const axisLook = (theme: ThemeTokens) => ({
  axisLine: { lineStyle: { color: theme.line } },
  axisTick: { show: false },
  axisLabel: { color: theme.quiet, fontSize: 12, margin: 8, hideOverlap: true },
  splitLine: { lineStyle: { color: theme.line, width: 0.7 } },
});

export function tooltipOption(look: ChartLook, trigger: 'axis' | 'item' = 'axis'): EChartsOption {
  const { theme } = look;
  if (look.isPrint) return {};
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

export const valueText = (look: ChartLook, column: ResultColumn) => (value: unknown) =>
  typeof value === 'number'
    ? `${formatNumber(value, column.format, look.taste.locale)}${column.unit ? ` ${column.unit}` : ''}`
    : missingMark;

export function legendOption(look: ChartLook, names: readonly string[]): EChartsOption {
  if (names.length < 2 || look.width < 160) return {};
  return {
    legend: {
      type: 'scroll',
      data: [...names],
      top: 0,
      left: 0,
      right: 4,
      textStyle: { color: look.theme.ink, fontSize: 12 },
      pageTextStyle: { color: look.theme.quiet, fontSize: smallestFont },
      pageIconColor: look.theme.sea,
      itemHeight: 8,
      itemWidth: 14,
    },
  };
}

/** Reference lines of a chart's value axis. */
export function markLines(result: FigureResult, look: ChartLook, axis: 'x' | 'y', column: ResultColumn) {
  const lines = result.lines ?? [];
  if (lines.length === 0) return {};
  const text = valueText(look, column);
  return {
    markLine: {
      silent: true,
      symbol: 'none',
      animation: false,
      lineStyle: { color: look.theme.brass, type: 'dashed' as const, width: 1.2 },
      label: {
        show: look.width >= 200,
        color: look.theme.brass,
        fontSize: smallestFont,
        position: axis === 'x' ? ('insideStartTop' as const) : ('insideEndTop' as const),
        ...(axis === 'x' ? { rotate: 0, align: 'left' as const } : {}),
        formatter: (line: { name?: string; value?: unknown }) => `${line.name ?? ''} ${text(line.value)}`,
      },
      data: lines.map((line) => ({ name: line.label, [axis === 'x' ? 'xAxis' : 'yAxis']: line.value })),
    },
  };
}
