<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { chartInWords, chartLegend, chartNote, chartOption, rawText } from '@underbell/core/chart';
import type { FormatOptions } from '@underbell/core/format';
import { formatCell } from '@underbell/core/format';
import type { ChartFigure, FigureResult } from '@underbell/core/report';
import { useTheme } from '../theme/useTheme.ts';
import type * as Charts from './charts.ts';
import type { Chart } from './charts.ts';
import { drawSoon, forget } from './drawQueue.ts';

const props = defineProps<{
  figure: ChartFigure;
  result: FigureResult;
  taste: FormatOptions;
  picked: readonly string[];
}>();
const emit = defineEmits<{ pick: [value: string, isAdding: boolean] }>();

const element = ref<HTMLElement>();
const { tokens, font } = useTheme();
const isStill = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
let chart: Chart | undefined;
let library: typeof Charts | undefined;
let watcher: ResizeObserver | undefined;

/** The chart at a size: sizing one anew costs as much as drawing it. */
function chartOf(on: HTMLElement, size: { width: number; height: number }): Chart {
  if (!chart) {
    chart = library!.initChart(on, size);
    chart.on('click', (event) => {
      const value = event.name;
      if (value) emit('pick', value, isSeveral(event.event?.event as MouseEvent | undefined));
    });
  } else if (chart.getWidth() !== size.width || chart.getHeight() !== size.height) chart.resize(size);
  return chart;
}

function draw(): void {
  if (!library || !element.value) return;
  const { clientWidth: width, clientHeight: height } = element.value;
  if (width === 0 || height === 0) return;
  chartOf(element.value, { width, height }).setOption(
    chartOption(props.figure, props.result, {
      theme: tokens.value,
      font: font.value,
      taste: props.taste,
      width,
      height,
      picked: props.picked,
      isStill,
    }),
    { notMerge: true },
  );
}

const owner = {};
const drawInTurn = () => element.value && drawSoon(owner, { element: element.value, draw });

onMounted(async () => {
  // Words and numbers do not wait for the library of charts.
  library = await import('./charts.ts');
  if (!element.value) return;
  watcher = new ResizeObserver(drawInTurn);
  watcher.observe(element.value);
});
onBeforeUnmount(() => {
  watcher?.disconnect();
  forget(owner);
  chart?.dispose();
});
watch([() => props.result, () => props.picked, tokens, font], drawInTurn);

/** Ctrl, or the key that stands for it elsewhere. */
const isSeveral = (event: MouseEvent | KeyboardEvent | undefined) => event?.ctrlKey === true || event?.metaKey === true;

const legend = computed(() => chartLegend(props.figure, props.result, tokens.value));
const note = computed(() => chartNote(props.figure, props.result, props.taste));
const words = computed(() => chartInWords(props.figure, props.result, props.taste));
/** Every mark as a button, for the keyboard and for those who do not see the chart. */
const marks = computed(() => {
  const { columns, rows } = props.result;
  const found = new Map<string, string>();
  for (const row of rows) {
    const raw = rawText(row[0]);
    if (found.has(raw) || found.size >= maxMarks) continue;
    const texts = columns.map((column, i) => formatCell(row[i], column, props.taste));
    found.set(raw, `${texts[0]!}: ${texts.slice(1).join(', ')}`);
  }
  return [...found].map(([value, text]) => ({ value, text }));
});
const maxMarks = 100;
</script>

<template>
  <ul v-if="legend.length > 0" class="legend" aria-label="Legend">
    <li v-for="entry in legend" :key="entry.name"><i :style="{ background: entry.colour }" />{{ entry.name }}</li>
  </ul>
  <div ref="element" class="chart" role="img" :aria-label="words" />
  <p v-if="note" class="cut">{{ note.charAt(0).toUpperCase() + note.slice(1) }}.</p>
  <ul v-if="marks.length > 0" class="marks unseen" :aria-label="`Select in ${figure.title}`">
    <li v-for="mark in marks" :key="mark.value">
      <button
        type="button"
        :aria-pressed="picked.includes(mark.value)"
        @click="(event) => emit('pick', mark.value, isSeveral(event))"
      >
        {{ mark.text }}
      </button>
    </li>
  </ul>
</template>

<style scoped>
.legend {
  list-style: none;
  margin: 0.2rem 0 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.9rem;
  font-size: 0.8125rem;
}
.legend i {
  display: inline-block;
  width: 14px;
  height: 8px;
  border-radius: 2px;
  margin-right: 0.35rem;
}
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
