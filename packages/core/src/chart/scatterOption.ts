import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatCell, formatNumber } from '../format/index.ts';
import type { ChartPart, FigureResult, ScatterFigure } from '../report/index.ts';
import {
  axisStyle,
  labelWidth,
  baseOption,
  referenceLines,
  smallestFont,
  tooltipOption,
  type ChartStyle,
} from './style.ts';
import { rawText } from './series.ts';

const smallest = 7;
const largest = 26;

/** Points whose names have room: the outermost first, none over another. */
function roomForLabels(points: readonly { x: unknown; y: unknown; text: string }[], style: ChartStyle): Set<number> {
  const placed = points.flatMap(({ x, y, text }, index) =>
    typeof x === 'number' && typeof y === 'number' ? [{ x, y, text, index }] : [],
  );
  if (style.width < 260 || placed.length === 0) return new Set();
  const range = (values: number[]) => ({
    least: Math.min(...values),
    size: Math.max(...values) - Math.min(...values) || 1,
  });
  const [across, up] = [range(placed.map((one) => one.x)), range(placed.map((one) => one.y))];
  const boxes = placed.map((one) => {
    const [x, y] = [(one.x - across.least) / across.size, (one.y - up.least) / up.size];
    const left = 54 + x * (style.width - 90);
    const top = (1 - y) * (style.height - 80);
    const half = labelWidth(one.text) / 2;
    return { index: one.index, from: left - half, to: left + half, top, outer: Math.abs(x - 0.5) + Math.abs(y - 0.5) };
  });
  const kept: typeof boxes = [];
  for (const box of boxes.toSorted((a, b) => b.outer - a.outer))
    if (kept.every((one) => box.to < one.from || box.from > one.to || Math.abs(box.top - one.top) > 24)) kept.push(box);
  return new Set(kept.map((one) => one.index));
}

/** A point for each value of a column; two measures say where, a third how large. */
export function scatterOption(figure: ScatterFigure, result: FigureResult, style: ChartStyle): EChartsOption {
  const { theme, taste, picked = [] } = style;
  const at = (name: string | undefined) => result.columns.findIndex((one) => one.name === name);
  const [x, y, size] = [at(figure.x), at(figure.y), at(figure.size)];
  const [xColumn, yColumn, group] = [result.columns[x]!, result.columns[y]!, result.columns[0]!];
  const most = Math.max(...result.rows.map((row) => Math.abs((row[size] as number | null) ?? 0)), 1);
  // The area of a point follows the measure.
  const sizeOf = (row: FigureResult['rows'][number]) =>
    size < 0 ? 10 : smallest + (largest - smallest) * Math.sqrt(Math.abs((row[size] as number | null) ?? 0) / most);
  const xs = result.rows.map((row) => row[x]).filter((one) => typeof one === 'number');
  const extent = [Math.min(...xs), Math.max(...xs)] as const;
  const isHidden = (part: ChartPart) => figure.hide?.includes(part) ?? false;
  const labels: ReadonlySet<number> = isHidden('labels')
    ? new Set()
    : roomForLabels(
        result.rows.map((row) => ({ x: row[x], y: row[y], text: formatCell(row[0], group, taste) })),
        style,
      );
  const axis = (column: typeof xColumn, isDown: boolean) => ({
    type: 'value' as const,
    scale: true,
    ...(isHidden('axis titles') ? {} : { name: `${column.label}${column.unit ? `, ${column.unit}` : ''}` }),
    nameLocation: isDown ? ('end' as const) : ('middle' as const),
    nameGap: isDown ? 10 : 26,
    nameTextStyle: { color: theme.quiet, fontSize: 12, ...(isDown ? { align: 'left' as const } : {}) },
    ...axisStyle(theme),
    axisLabel: {
      color: theme.quiet,
      fontSize: 12,
      hideOverlap: true,
      formatter: (value: number) => formatNumber(value, column.format?.replace(/\.[0#]+/, '.##'), taste.locale),
    },
    splitNumber: Math.max(2, Math.floor((isDown ? style.height : style.width) / 90)),
  });
  return {
    ...baseOption(style),
    ...tooltipOption(style, 'item'),
    grid: isHidden('axis titles')
      ? { left: 54, right: 22, top: 12, bottom: 26 }
      : { left: 54, right: 22, top: 30, bottom: 44 },
    xAxis: axis(xColumn, false),
    yAxis: axis(yColumn, true),
    series: [
      {
        type: 'scatter',
        data: result.rows.map((row) => {
          const raw = rawText(row[0]);
          const isFaded = picked.length > 0 && !picked.includes(raw);
          return {
            name: raw,
            value: [row[x] as number | null, row[y] as number | null],
            symbolSize: sizeOf(row),
            itemStyle: {
              color: isFaded ? theme.faded : theme.series[0],
              opacity: 0.75,
              borderColor: theme.raised,
              borderWidth: 1,
            },
          };
        }),
        cursor: style.isPrint ? 'default' : 'pointer',
        label: {
          show: labels.size > 0,
          position: 'top',
          color: theme.ink,
          fontSize: smallestFont,
          formatter: (point: { dataIndex: number }) =>
            labels.has(point.dataIndex) ? formatCell(result.rows[point.dataIndex]?.[0], group, taste) : '',
        },
        tooltip: {
          formatter: (point: { dataIndex: number }) =>
            result.columns
              .map((column, i) => `${column.label}: ${formatCell(result.rows[point.dataIndex]?.[i], column, taste)}`)
              .join('\n'),
        },
      },
      ...referenceLines(result, style, { value: 'y', ends: extent, column: yColumn }),
    ],
  } as EChartsOption;
}
