<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { chartInWords, chartOption } from '@underbell/core/chart';
import type { ReaderTaste } from '@underbell/core/format';
import { formatCell } from '@underbell/core/format';
import type { BarFigure, FigureResult, LineFigure } from '@underbell/core/report';
import { dark, light } from '@underbell/core/theme';
import { initChart, type Chart } from './charts.ts';

const props = defineProps<{
  figure: BarFigure | LineFigure;
  result: FigureResult;
  taste: ReaderTaste;
  picked: readonly string[];
}>();
const emit = defineEmits<{ pick: [value: string, isAdding: boolean] }>();

const element = ref<HTMLElement>();
const isDark = window.matchMedia('(prefers-color-scheme: dark)');
const isStill = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
let chart: Chart | undefined;
let watcher: ResizeObserver | undefined;

function draw(): void {
  if (!chart || !element.value) return;
  const { clientWidth: width, clientHeight: height } = element.value;
  if (width === 0 || height === 0) return;
  chart.resize({ width, height });
  const theme = isDark.matches ? dark : light;
  chart.setOption(
    chartOption(props.figure, props.result, {
      theme,
      taste: props.taste,
      width,
      height,
      picked: props.picked,
      isStill,
    }),
    { notMerge: true },
  );
}

onMounted(() => {
  chart = initChart(element.value!);
  chart.on('click', (event) => {
    const value = event.name;
    if (props.figure.kind === 'bar' && value)
      emit('pick', value, (event.event?.event as MouseEvent | undefined)?.ctrlKey === true);
  });
  watcher = new ResizeObserver(draw);
  watcher.observe(element.value!);
  isDark.addEventListener('change', draw);
});
onBeforeUnmount(() => {
  watcher?.disconnect();
  isDark.removeEventListener('change', draw);
  chart?.dispose();
});
watch(() => [props.result, props.picked], draw);

const words = computed(() => chartInWords(props.figure, props.result, props.taste));
const marks = computed(() =>
  props.figure.kind === 'bar'
    ? props.result.rows
        .filter((row) => row[0] !== null)
        .map((row) => ({
          value: String(row[0]),
          text: `${formatCell(row[0], props.result.columns[0]!, props.taste)}: ${formatCell(row[1], props.result.columns[1]!, props.taste)}`,
        }))
    : [],
);
</script>

<template>
  <div ref="element" class="chart" role="img" :aria-label="words" />
  <ul v-if="marks.length > 0" class="marks unseen" :aria-label="`Pick in ${figure.title}`">
    <li v-for="mark in marks" :key="mark.value">
      <button
        type="button"
        :aria-pressed="picked.includes(mark.value)"
        @click="(event) => emit('pick', mark.value, event.ctrlKey)"
      >
        {{ mark.text }}
      </button>
    </li>
  </ul>
</template>

<style scoped>
.chart {
  flex: 1;
  min-height: 0;
}
.marks {
  list-style: none;
  margin: 0;
  padding: 0.3rem;
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem;
  background: var(--raised);
}
.marks button {
  border: 1px solid var(--line);
  background: none;
  padding: 0.1rem 0.4rem;
}
.marks button[aria-pressed='true'] {
  border-color: var(--sea);
}
</style>
