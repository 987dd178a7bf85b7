import { BarChart, LineChart, ScatterChart } from 'echarts/charts';
import { GridComponent, TitleComponent, TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';

echarts.use([BarChart, LineChart, ScatterChart, GridComponent, TooltipComponent, TitleComponent, SVGRenderer]);

export const initChart = (element: HTMLElement, size?: { width: number; height: number }) =>
  echarts.init(element, null, { renderer: 'svg', ...size });
export type Chart = ReturnType<typeof initChart>;
