<script setup lang="ts">
import { computed } from 'vue';
import type { ReaderTaste } from '@underbell/core/format';
import type { Figure, FigureResult } from '@underbell/core/report';
import ChartFigure from './ChartFigure.vue';
import NumberFigure from './NumberFigure.vue';
import TableFigure from './TableFigure.vue';

const props = defineProps<{ figure: Figure; result?: FigureResult; taste: ReaderTaste; picked: readonly string[] }>();
const emit = defineEmits<{ pick: [value: string, isAdding: boolean] }>();

const capitalised = (text: string) => text.charAt(0).toUpperCase() + text.slice(1).replaceAll('`', '');
const place = computed(() => {
  const { column, row, width, height } = props.figure.at;
  return { '--column': column, '--row': row, '--width': width, '--height': height, '--half': width <= 3 ? 3 : 6 };
});
/** A number without rows shows a dash. */
const isShownEmpty = (kind: string, result: FigureResult) => kind === 'number' && result.columns.length > 0;
const isEmpty = computed(
  () => props.result !== undefined && props.result.rows.length === 0 && !isShownEmpty(props.figure.kind, props.result),
);
</script>

<template>
  <section class="figure" :class="figure.kind" :style="place" :aria-label="figure.title">
    <h2>{{ figure.title }}</h2>
    <p v-if="figure.kind === 'text'" class="text">{{ figure.text }}</p>
    <p v-else-if="result?.refused" class="empty masked">{{ capitalised(result.refused.message) }}.</p>
    <p v-else-if="isEmpty" class="empty">No rows under these filters.</p>
    <template v-else-if="result">
      <NumberFigure v-if="figure.kind === 'number'" :result="result" :taste="taste" />
      <TableFigure v-else-if="figure.kind === 'table'" :title="figure.title" :result="result" :taste="taste" />
      <ChartFigure
        v-else
        :figure="figure"
        :result="result"
        :taste="taste"
        :picked="picked"
        @pick="(value, isAdding) => emit('pick', value, isAdding)"
      />
    </template>
  </section>
</template>

<style scoped>
.figure {
  grid-column: var(--column) / span var(--width);
  grid-row: var(--row) / span var(--height);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.7rem 0.9rem;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  position: relative;
}
h2 {
  margin: 0;
  font-size: 1rem;
  font-weight: 600;
}
.number h2 {
  font-weight: 400;
  color: var(--quiet);
  font-size: 0.9375rem;
}
.text {
  white-space: pre-line;
  margin: 0.3rem 0 0;
}
.empty {
  color: var(--quiet);
  margin: auto;
  text-align: center;
}
.masked {
  font-size: 0.9375rem;
  max-width: 26rem;
}
@container page (max-width: 900px) {
  .figure {
    grid-column: span var(--half);
    grid-row: auto / span var(--height);
  }
}
@container page (max-width: 560px) {
  .figure {
    grid-column: 1 / -1;
  }
}
</style>
