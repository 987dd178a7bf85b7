import { BarChart, LineChart, ScatterChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TitleComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { chartOption, type ChartLook } from '../chart/index.ts';
import type { ChartFigure, FigureResult } from '../report/index.ts';

echarts.use([BarChart, LineChart, ScatterChart, GridComponent, LegendComponent, TitleComponent, SVGRenderer]);

/** Draws a chart as SVG without a browser. Width and height in pixels. */
export function chartSvg(figure: ChartFigure, result: FigureResult, look: ChartLook): string {
  const chart = echarts.init(null, null, { renderer: 'svg', ssr: true, width: look.width, height: look.height });
  try {
    chart.setOption(chartOption(figure, result, { ...look, isPrint: true }));
    return chart.renderToSVGString();
  } finally {
    chart.dispose();
  }
}
