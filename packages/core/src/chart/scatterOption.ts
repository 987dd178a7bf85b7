import type { EChartsOption } from 'echarts/types/dist/shared';
import { formatCell, formatNumber } from '../format/index.ts';
import type { FigureResult, ScatterFigure } from '../report/index.ts';
import { axisLook, baseOption, markLines, smallestFont, tooltipOption, type ChartLook } from './look.ts';
import { rawText } from './series.ts';

const smallest = 7;
const largest = 26;

/** A point for each value of a column; two measures say where, a third how large. */
export function scatterOption(figure: ScatterFigure, result: FigureResult, look: ChartLook): EChartsOption {
  const { theme, taste, picked = [] } = look;
  const at = (name: string | undefined) => result.columns.findIndex((one) => one.name === name);
  const [x, y, size] = [at(figure.x), at(figure.y), at(figure.size)];
  const [xColumn, yColumn, group] = [result.columns[x]!, result.columns[y]!, result.columns[0]!];
  const most = Math.max(...result.rows.map((row) => Math.abs((row[size] as number | null) ?? 0)), 1);
  // The area of a point follows the measure.
  const sizeOf = (row: FigureResult['rows'][number]) =>
    size < 0 ? 10 : smallest + (largest - smallest) * Math.sqrt(Math.abs((row[size] as number | null) ?? 0) / most);
  const axis = (column: typeof xColumn, isDown: boolean) => ({
    type: 'value' as const,
    scale: true,
    name: `${column.label}${column.unit ? `, ${column.unit}` : ''}`,
    nameLocation: isDown ? ('end' as const) : ('middle' as const),
    nameGap: isDown ? 10 : 26,
    nameTextStyle: { color: theme.quiet, fontSize: 12, ...(isDown ? { align: 'left' as const } : {}) },
    ...axisLook(theme),
    axisLabel: {
      color: theme.quiet,
      fontSize: 12,
      hideOverlap: true,
      formatter: (value: number) => formatNumber(value, column.format?.replace(/\.[0#]+/, '.##'), taste.locale),
    },
    splitNumber: Math.max(2, Math.floor((isDown ? look.height : look.width) / 90)),
  });
  return {
    ...baseOption(look),
    ...tooltipOption(look, 'item'),
    grid: { left: 54, right: 22, top: 30, bottom: 44 },
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
        cursor: look.isPrint ? 'default' : 'pointer',
        label: {
          show: result.rows.length <= 20 && look.width >= 360,
          position: 'top',
          color: theme.ink,
          fontSize: smallestFont,
          formatter: (point: { dataIndex: number }) => formatCell(result.rows[point.dataIndex]?.[0], group, taste),
        },
        labelLayout: { hideOverlap: true },
        tooltip: {
          formatter: (point: { dataIndex: number }) =>
            result.columns
              .map((column, i) => `${column.label}: ${formatCell(result.rows[point.dataIndex]?.[i], column, taste)}`)
              .join('\n'),
        },
        ...markLines(result, look, 'y', yColumn),
      },
    ],
  } as EChartsOption;
}
