<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { setBoardTheme } from '../theme/useTheme.ts';
import FigureGrid from './FigureGrid.vue';
import AppliedFilters from './AppliedFilters.vue';
import type { ViewResponse } from '@underbell/core/view';

/** Draws an answer that the page around it has fetched: another viewer's page, without being that viewer. */
const answer = shallowRef<ViewResponse>();
const root = ref<HTMLElement>();
function take(event: MessageEvent<{ underBell?: string; answer?: ViewResponse }>): void {
  if (event.origin !== window.location.origin || event.source !== window.parent) return;
  if (event.data.underBell !== 'preview') return;
  setBoardTheme(event.data.answer?.theme);
  answer.value = event.data.answer;
}
onMounted(() => {
  window.addEventListener('message', take);
  window.parent.postMessage({ underBell: 'preview ready' }, window.location.origin);
});
onBeforeUnmount(() => window.removeEventListener('message', take));

/** Where the grid of figures lies, for the page around it to lay handles over it. Pixels. */
function tell(): void {
  const grid = document.querySelector('main.grid');
  if (!root.value || !grid) return;
  const { left, top, width } = grid.getBoundingClientRect();
  const { rowGap, gridAutoRows } = getComputedStyle(grid);
  const size = {
    height: root.value.scrollHeight,
    left: left + window.scrollX,
    top: top + window.scrollY,
    width,
    gap: Number.parseFloat(rowGap),
    rowHeight: Number.parseFloat(gridAutoRows),
  };
  window.parent.postMessage({ underBell: 'preview size', size }, window.location.origin);
}
const watcher = new ResizeObserver(tell);
watch(root, (element) => element && watcher.observe(element), { flush: 'post' });
watch(answer, tell, { flush: 'post' });
onBeforeUnmount(() => watcher.disconnect());
</script>

<template>
  <div v-if="answer" ref="root" class="page">
    <AppliedFilters :answer="answer" :choices="{}" />
    <FigureGrid :answer="answer" :choices="{}" />
  </div>
</template>

<style scoped>
.page {
  container: page / inline-size;
  padding: 0.8rem;
}
</style>
