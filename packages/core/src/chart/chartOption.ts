import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatCell, formatDate, formatNumber, missingMark, type ReaderTaste } from '../format/index.ts';
import type { BarFigure, FigureResult, LineFigure } from '../report/index.ts';
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
}

const smallestFont = 11;

function base(look: ChartLook): EChartsOption {
  return {
    animation: !look.isPrint && !look.isStill,
    animationDuration: 250,
    color: [...look.theme.series],
    textStyle: { fontFamily: look.isPrint ? 'Source Sans 3' : fontFamily, color: look.theme.ink, fontSize: 12 },
    aria: { enabled: !look.isPrint },
  };
}

const axisLook = (theme: ThemeTokens) => ({
  axisLine: { lineStyle: { color: theme.line } },
  axisTick: { show: false },
  axisLabel: { color: theme.quiet, fontSize: 12, margin: 8 },
  splitLine: { lineStyle: { color: theme.line, width: 0.7 } },
});

function tooltip(look: ChartLook): EChartsOption {
  const { theme } = look;
  if (look.isPrint) return {};
  return {
    tooltip: {
      trigger: 'axis',
      axisPointer: { type: 'shadow', shadowStyle: { color: theme.faded, opacity: 0.25 } },
      backgroundColor: theme.raised,
      borderColor: theme.line,
      textStyle: { color: theme.ink, fontSize: 13 },
      confine: true,
      renderMode: 'richText',
    },
  };
}

/** A bar lies flat when its names are many or long, so that every name can be read. */
function barOption(result: FigureResult, look: ChartLook): EChartsOption {
  const { theme, taste, picked } = look;
  const [group, measure] = result.columns;
  const rows = [...result.rows].reverse();
  const names = rows.map((row) => formatCell(row[0], group!, taste));
  const room = Math.floor((look.height - 40) / rows.length);
  const longest = Math.max(...names.map((name) => name.length), 1);
  const nameWidth = Math.min(longest * 6.6 + 4, look.width * 0.36);
  const data = rows.map((row) => {
    const raw = row[0] === null ? missingMark : String(row[0]);
    const isFaded = picked !== undefined && picked.length > 0 && !picked.includes(raw);
    return {
      value: row[1] as number | null,
      name: raw,
      itemStyle: { color: isFaded ? theme.faded : theme.series[0], borderRadius: [0, 2, 2, 0] },
    };
  });
  return {
    ...base(look),
    ...tooltip(look),
    grid: { left: nameWidth + 12, right: 56, top: 6, bottom: 8, containLabel: false },
    xAxis: { type: 'value', ...axisLook(theme), axisLabel: { show: false }, splitLine: { show: false } },
    yAxis: {
      type: 'category',
      data: names,
      ...axisLook(theme),
      axisLabel: {
        color: theme.ink,
        fontSize: 12,
        width: nameWidth,
        overflow: 'truncate',
        interval: room >= smallestFont + 1 ? 0 : 'auto',
      },
    },
    series: [
      {
        type: 'bar',
        name: measure!.label,
        data,
        barMaxWidth: 22,
        barCategoryGap: '28%',
        label: {
          show: room >= smallestFont + 2,
          position: 'right',
          color: theme.ink,
          fontSize: 12,
          formatter: (point) => formatCell(rows[point.dataIndex]?.[1], measure!, taste),
        },
        tooltip: {
          valueFormatter: (value) =>
            typeof value === 'number' ? formatNumber(value, measure!.format, taste.locale) : missingMark,
        },
        cursor: look.isPrint ? 'default' : 'pointer',
      },
    ],
  };
}

function lineOption(result: FigureResult, look: ChartLook): EChartsOption {
  const { theme, taste } = look;
  const measures = result.columns.slice(1);
  const dates = result.rows.map((row) => String(row[0]));
  const shortDate = new Intl.DateTimeFormat(taste.locale, { day: 'numeric', month: 'short', timeZone: 'UTC' });
  // An axis needs no more digits than its steps have.
  const format = measures[0]?.format?.replace(/\.[0#]+/, '.##');
  const every = Math.max(1, Math.ceil(dates.length / Math.max(2, Math.floor(look.width / 74))));
  return {
    ...base(look),
    ...tooltip(look),
    grid: { left: 52, right: 18, top: measures.length > 1 ? 30 : 12, bottom: 26 },
    ...(measures.length > 1
      ? { legend: { top: 0, left: 0, textStyle: { color: theme.ink, fontSize: 12 }, itemHeight: 8 } }
      : {}),
    xAxis: {
      type: 'category',
      data: dates,
      boundaryGap: false,
      ...axisLook(theme),
      axisLabel: {
        color: theme.quiet,
        fontSize: 12,
        interval: (index) => index % every === 0,
        formatter: (date) => shortDate.format(new Date(`${date}T00:00:00Z`)),
      },
    },
    yAxis: {
      type: 'value',
      scale: true,
      ...axisLook(theme),
      splitNumber: Math.max(2, Math.floor(look.height / 60)),
      axisLabel: { color: theme.quiet, fontSize: 12, formatter: (value) => formatNumber(value, format, taste.locale) },
    },
    series: measures.map((measure, index) => ({
      type: 'line',
      name: measure.label,
      data: result.rows.map((row) => row[index + 1] as number | null),
      symbol: dates.length > 45 ? 'none' : 'circle',
      symbolSize: 4,
      lineStyle: { width: 1.8 },
      tooltip: {
        valueFormatter: (value) =>
          typeof value === 'number' ? formatNumber(value, measure.format, taste.locale) : missingMark,
      },
    })),
  };
}

/** The one chart builder: browser and print draw the same option. */
export function chartOption(figure: BarFigure | LineFigure, result: FigureResult, look: ChartLook): EChartsOption {
  return figure.kind === 'bar' ? barOption(result, look) : lineOption(result, look);
}

/** What a chart says, for those who do not see it. */
export function chartInWords(figure: BarFigure | LineFigure, result: FigureResult, taste: ReaderTaste): string {
  const [group, measure] = result.columns;
  const { rows } = result;
  if (rows.length === 0) return `${figure.title}: no data`;
  const shown = (index: number) => formatCell(rows[index]?.[1], measure!, taste);
  const named = (index: number) => formatCell(rows[index]?.[0], group!, taste);
  if (figure.kind === 'bar') {
    return `${figure.title}: ${rows.length} bars of ${measure!.label}, from ${named(0)} with ${shown(0)} to ${named(rows.length - 1)} with ${shown(rows.length - 1)}`;
  }
  const dates = `${formatDate(String(rows[0]![0]), taste.locale)} to ${formatDate(String(rows.at(-1)![0]), taste.locale)}`;
  return `${figure.title}: ${measure!.label} from ${dates}, from ${shown(0)} to ${shown(rows.length - 1)}`;
}
