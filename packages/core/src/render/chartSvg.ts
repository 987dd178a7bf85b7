import type { ChartStyle } from '../chart/index.ts';
import { printable } from '../format/index.ts';
import type { ChartFigure, FigureResult } from '../report/index.ts';
import { withChart } from './chart.ts';

/** Draws a chart as SVG without a browser. Width and height in pixels. */
export const chartSvg = (figure: ChartFigure, result: FigureResult, style: ChartStyle): string =>
  withChart(figure, result, style, (chart) => printable(chart.renderToSVGString()));
