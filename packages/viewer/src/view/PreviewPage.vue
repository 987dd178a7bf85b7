<script setup lang="ts">
import { onBeforeUnmount, onMounted, shallowRef } from 'vue';
import FigureGrid from './FigureGrid.vue';
import LimitStrip from './LimitStrip.vue';
import type { ViewAnswer } from '@underbell/core/view';

/** Draws an answer that the page around it has fetched: another viewer's page, without being that viewer. */
const answer = shallowRef<ViewAnswer>();
function take(event: MessageEvent<{ underBell?: string; answer?: ViewAnswer }>): void {
  if (event.origin !== window.location.origin || event.source !== window.parent) return;
  if (event.data.underBell === 'preview') answer.value = event.data.answer;
}
onMounted(() => {
  window.addEventListener('message', take);
  window.parent.postMessage({ underBell: 'preview ready' }, window.location.origin);
});
onBeforeUnmount(() => window.removeEventListener('message', take));
</script>

<template>
  <div v-if="answer" class="page">
    <LimitStrip :answer="answer" :choices="{}" />
    <FigureGrid :answer="answer" :choices="{}" />
  </div>
</template>

<style scoped>
.page {
  container: page / inline-size;
  padding: 0.8rem;
}
</style>
