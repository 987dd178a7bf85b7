import { BarChart, LineChart, ScatterChart } from 'echarts/charts';
import { GridComponent, TitleComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';

echarts.use([BarChart, LineChart, ScatterChart, GridComponent, TitleComponent, SVGRenderer]);

/** A chart as an SVG text: drawn once, it needs nothing of the library any more. */
export function chartSvg(option: echarts.EChartsCoreOption, size: { width: number; height: number }): string {
  const chart = echarts.init(null, null, { renderer: 'svg', ssr: true, ...size });
  try {
    chart.setOption({ ...option, animation: false });
    return chart.renderToSVGString();
  } finally {
    chart.dispose();
  }
}
