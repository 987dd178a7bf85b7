<script setup lang="ts">
import { BarChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { light, fontFamily } from '@underbell/core/theme';
import type { CostsOverTime, StretchSum } from '@underbell/core/usage';
import { capitalised, showSize } from '../platform/format.ts';

/** Costs along time, one on top of the other. */
echarts.use([BarChart, GridComponent, LegendComponent, TooltipComponent, SVGRenderer]);
const props = defineProps<{ costs: CostsOverTime; measure: keyof StretchSum }>();
const box = ref<HTMLElement>();
let chart: echarts.ECharts | undefined;

const said = (value: number) =>
  props.measure === 'bytes'
    ? showSize(value)
    : value.toLocaleString('en-GB', { maximumFractionDigits: props.measure === 'times' ? 0 : 1 });

function draw(): void {
  if (!chart) return;
  const { names, stretches } = props.costs;
  chart.setOption(
    {
      animation: false,
      color: [...light.series, light.quiet],
      textStyle: { fontFamily, color: light.ink, fontSize: 12 },
      grid: { left: 8, right: 8, top: 34, bottom: 4, containLabel: true },
      legend: { top: 0, left: 0, icon: 'rect', itemWidth: 12, itemHeight: 12, textStyle: { color: light.ink } },
      tooltip: {
        trigger: 'axis',
        axisPointer: { type: 'shadow' },
        valueFormatter: (value: unknown) => said(Number(value)),
      },
      xAxis: {
        type: 'category',
        data: stretches.map((one) => one.at),
        axisTick: { show: false },
        axisLine: { lineStyle: { color: light.line } },
        axisLabel: { color: light.quiet, fontSize: 12, hideOverlap: true },
      },
      yAxis: {
        type: 'value',
        splitNumber: 4,
        axisLabel: { color: light.quiet, fontSize: 12, formatter: (value: number) => said(value) },
        splitLine: { lineStyle: { color: light.line, width: 0.7 } },
      },
      series: names.map((name) => ({
        type: 'bar',
        name: capitalised(name),
        stack: 'all',
        barMaxWidth: 34,
        data: stretches.map((one) => one.sums[name]?.[props.measure] ?? 0),
      })),
    },
    { notMerge: true },
  );
}
const watcher = new ResizeObserver(() => chart?.resize());
onMounted(() => {
  chart = echarts.init(box.value!, null, { renderer: 'svg' });
  watcher.observe(box.value!);
  draw();
});
onBeforeUnmount(() => {
  watcher.disconnect();
  chart?.dispose();
});
watch(() => [props.costs, props.measure], draw);
</script>

<template>
  <div
    ref="box"
    class="chart"
    role="img"
    :aria-label="`Usage by ${costs.by}, per ${costs.per}; the table has the same values`"
  />
</template>

<style scoped>
.chart {
  height: 18rem;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.6rem;
  margin-bottom: 1rem;
}
</style>
