import { BarChart, LineChart, ScatterChart } from 'echarts/charts';
import {
  AriaComponent,
  GridComponent,
  LegendScrollComponent,
  MarkLineComponent,
  TitleComponent,
  TooltipComponent,
} from 'echarts/components';
import * as echarts from 'echarts/core';
import { LabelLayout } from 'echarts/features';
import { SVGRenderer } from 'echarts/renderers';

echarts.use([
  BarChart,
  LineChart,
  ScatterChart,
  GridComponent,
  LegendScrollComponent,
  TooltipComponent,
  AriaComponent,
  MarkLineComponent,
  TitleComponent,
  LabelLayout,
  SVGRenderer,
]);

export const initChart = (element: HTMLElement) => echarts.init(element, null, { renderer: 'svg' });
export type Chart = ReturnType<typeof initChart>;
