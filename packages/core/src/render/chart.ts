import { BarChart, LineChart, ScatterChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TitleComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { chartOption, type ChartStyle } from '../chart/index.ts';
import { textWidth } from '../theme/index.ts';
import type { ChartFigure, FigureResult } from '../report/index.ts';

echarts.use([BarChart, LineChart, ScatterChart, GridComponent, LegendComponent, TitleComponent, SVGRenderer]);

// Without a canvas the library would take each letter beyond ASCII for as wide as it is high, and cut names that fit.
echarts.setPlatformAPI({
  measureText: (text, font) => ({
    width:
      textWidth(text ?? '', Number(/([\d.]+)px/.exec(font ?? '')?.[1] ?? 12)) *
      (/\b(?:600|700|bold)\b/.test(font ?? '') ? 1.04 : 1),
  }),
});

/** Lays a chart out without a browser, hands it on, and forgets it. Width and height in pixels. */
export function withChart<T>(
  figure: ChartFigure,
  result: FigureResult,
  style: ChartStyle,
  use: (chart: echarts.ECharts) => T,
): T {
  const chart = echarts.init(null, null, { renderer: 'svg', ssr: true, width: style.width, height: style.height });
  try {
    chart.setOption(chartOption(figure, result, { ...style, isPrint: true }));
    return use(chart);
  } finally {
    chart.dispose();
  }
}
