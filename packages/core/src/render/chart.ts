import { BarChart, LineChart, ScatterChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TitleComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { chartOption, type ChartLook } from '../chart/index.ts';
import type { ChartFigure, FigureResult } from '../report/index.ts';

echarts.use([BarChart, LineChart, ScatterChart, GridComponent, LegendComponent, TitleComponent, SVGRenderer]);

/** Lays a chart out without a browser, hands it on, and forgets it. Width and height in pixels. */
export function withChart<T>(
  figure: ChartFigure,
  result: FigureResult,
  look: ChartLook,
  use: (chart: echarts.ECharts) => T,
): T {
  const chart = echarts.init(null, null, { renderer: 'svg', ssr: true, width: look.width, height: look.height });
  try {
    chart.setOption(chartOption(figure, result, { ...look, isPrint: true }));
    return use(chart);
  } finally {
    chart.dispose();
  }
}
