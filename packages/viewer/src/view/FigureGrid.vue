<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref } from 'vue';
import { isDrawing } from '../figure/drawQueue.ts';
import FigureCard from '../figure/FigureCard.vue';
import type { BoardFrame } from '@underbell/core/board';
import type { ViewResponse, ViewedFigure } from '@underbell/core/view';

/** Few boards have one. */
const FrameCard = defineAsyncComponent(() => import('../figure/FrameCard.vue'));

const props = defineProps<{
  answer: ViewResponse;
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
const shown = computed((): (ViewedFigure | BoardFrame)[] => {
  const { figures: all, frames = [], narrow } = props.answer.page;
  if (isNarrow.value && narrow) return narrow.flatMap((name) => all.find((one) => one.name === name) ?? []);
  return [...all, ...frames].sort((a, b) => a.at.row - b.at.row || a.at.column - b.at.column);
});
</script>

<template>
  <main ref="root" class="grid" :class="{ loading: isLoading }" :aria-busy="isLoading || isDrawing">
    <template v-for="one in shown" :key="one.name">
      <FrameCard v-if="'address' in one" :frame="one" />
      <FigureCard
        v-else
        :figure="one"
        :answer="answer"
        :result="answer.results[one.name]"
        :picked="choices[one.name] ?? none"
        @pick="(value, isAdding) => emit('pick', one.name, value, isAdding)"
      />
    </template>
  </main>
</template>

<style scoped>
.loading {
  opacity: 0.65;
}
</style>
