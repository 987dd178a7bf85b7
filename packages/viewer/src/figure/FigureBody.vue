<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue';
import {
  fillText,
  type ChartFigure as ChartDefinition,
  type CrosstabFigure,
  type FigureResult,
  type NumberFigure as NumberDefinition,
  type TableFigure as TableDefinition,
} from '@underbell/core/report';
import TableFigure from '../table/TableFigure.vue';
import TextTable from '../table/TextTable.vue';
import type { ViewedFigure, ViewResponse } from '@underbell/core/view';
import ChartFigure from './ChartFigure.vue';
import NumberFigure from './NumberFigure.vue';
import { emptyText } from './emptyText.ts';

const props = defineProps<{
  figure: ViewedFigure;
  answer: ViewResponse;
  result?: FigureResult;
  picked: readonly string[];
  isTable: boolean;
}>();
const emit = defineEmits<{ pick: [value: string, isAdding: boolean] }>();

/** Fetched only where a page has one. */
const PickerFigure = defineAsyncComponent(() => import('../picker/PickerFigure.vue'));

const parameters = computed(() =>
  Object.fromEntries(props.answer.parameters.flatMap((one) => (one.words ? [[one.name, one.words]] : []))),
);
const isEmpty = computed(
  () => props.result !== undefined && props.result.rows.length === 0 && !['number', 'text'].includes(props.figure.kind),
);
const refusal = computed(() => props.result?.refused);
const isMasked = computed(() => refusal.value?.code === 'COLUMN_HIDDEN' || refusal.value?.code === 'GROUPS_TOO_SMALL');
const pick = (value: string, isAdding: boolean) => emit('pick', value, isAdding);
</script>

<template>
  <div v-if="refusal" class="empty" :class="{ wrong: !isMasked }">
    <p>{{ refusal.message }}</p>
    <p v-if="refusal.hint" class="hint">{{ refusal.hint }}</p>
  </div>
  <p v-else-if="figure.kind === 'text'" class="text">{{ fillText(figure.text, result, parameters, answer.taste) }}</p>
  <PickerFigure v-else-if="figure.kind === 'picker'" :figure="figure" :answer="answer" />
  <p v-else-if="isEmpty" class="empty">{{ emptyText(figure, answer) }}</p>
  <template v-else-if="result">
    <NumberFigure
      v-if="figure.kind === 'number'"
      :figure="figure as NumberDefinition"
      :result="result"
      :taste="answer.taste"
    />
    <TableFigure
      v-else-if="figure.kind === 'table'"
      :figure="figure as TableDefinition"
      :result="result"
      :taste="answer.taste"
      :picked="picked"
      @pick="pick"
    />
    <TextTable
      v-else-if="figure.kind === 'crosstab' || isTable"
      :figure="figure as CrosstabFigure"
      :result="result"
      :taste="answer.taste"
      :picked="picked"
      @pick="pick"
    />
    <ChartFigure
      v-else
      :figure="figure as ChartDefinition"
      :result="result"
      :taste="answer.taste"
      :picked="picked"
      @pick="pick"
    />
  </template>
</template>

<style scoped>
.text {
  white-space: pre-line;
  margin: 0.3rem 0 0;
  overflow: auto;
}
.empty {
  color: var(--quiet);
  margin: auto;
  text-align: center;
  max-width: 30rem;
}
.empty p {
  margin: 0.2rem 0;
}
.wrong {
  border-left: 3px solid var(--signal);
  padding-left: 0.7rem;
  text-align: left;
}
.hint {
  font-size: 0.875rem;
}
</style>
