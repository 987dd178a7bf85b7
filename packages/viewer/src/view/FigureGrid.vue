<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';
import { isDrawing } from '../figure/drawQueue.ts';
import FigureCard from '../figure/FigureCard.vue';
import type { ViewAnswer } from '@underbell/core/view';

const props = defineProps<{
  answer: ViewAnswer;
  choices: Readonly<Record<string, readonly string[]>>;
  isLoading?: boolean;
}>();
const emit = defineEmits<{ pick: [figure: string, value: string, isAdding: boolean] }>();

/** One for all, so that nothing is drawn anew for another empty list. */
const none: readonly string[] = [];
/** As narrow as the style sheet takes for one column. */
const narrowBelow = 560;
const root = ref<HTMLElement>();
const isNarrow = ref(false);
const watcher = new ResizeObserver(
  ([entry]) => (isNarrow.value = (entry?.contentRect.width ?? 1000) <= narrowBelow - 32),
);
onMounted(() => watcher.observe(root.value!));
onBeforeUnmount(() => watcher.disconnect());

/** Reading order is the order of the grid; a narrow place may have an order of its own. */
const figures = computed(() => {
  const { figures: all, narrow } = props.answer.page;
  if (isNarrow.value && narrow) return narrow.flatMap((name) => all.find((one) => one.name === name) ?? []);
  return [...all].sort((a, b) => a.at.row - b.at.row || a.at.column - b.at.column);
});
</script>

<template>
  <main ref="root" class="grid" :class="{ loading: isLoading }" :aria-busy="isLoading || isDrawing">
    <FigureCard
      v-for="figure in figures"
      :key="figure.name"
      :figure="figure"
      :answer="answer"
      :result="answer.results[figure.name]"
      :picked="choices[figure.name] ?? none"
      @pick="(value, isAdding) => emit('pick', figure.name, value, isAdding)"
    />
  </main>
</template>

<style scoped>
.loading {
  opacity: 0.65;
}
</style>
