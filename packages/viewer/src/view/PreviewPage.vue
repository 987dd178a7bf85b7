<script setup lang="ts">
import { onBeforeUnmount, onMounted, shallowRef } from 'vue';
import FigureCard from '../figure/FigureCard.vue';
import LimitStrip from './LimitStrip.vue';
import type { ViewAnswer } from './viewApi.ts';

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
    <main class="grid">
      <FigureCard
        v-for="figure in answer.page.figures"
        :key="figure.name"
        :figure="figure"
        :result="answer.results[figure.name]"
        :taste="answer.taste"
        :picked="[]"
      />
    </main>
  </div>
</template>

<style scoped>
.page {
  container: page / inline-size;
  padding: 0.8rem;
}
.grid {
  display: grid;
  grid-template-columns: repeat(12, minmax(0, 1fr));
  grid-auto-rows: 2.65rem;
  gap: 0.7rem;
}
@container page (max-width: 900px) {
  .grid {
    grid-template-columns: repeat(6, minmax(0, 1fr));
  }
}
@container page (max-width: 560px) {
  .grid {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
