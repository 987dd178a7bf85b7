<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';
import FigureCard from './figure/FigureCard.vue';
import { HostChannel } from './host/hostChannel.ts';
import LimitStrip from './view/LimitStrip.vue';
import ProblemBox from './view/ProblemBox.vue';
import { useView } from './view/useView.ts';

const props = defineProps<{ placement: string; origins: string[] }>();
const channel = new HostChannel(props.origins);
const { answer, problem, isLoading, isBare, choices, pick, clear, turnTo, reload, signedIn, ask } = useView(
  props.placement,
  channel,
);

const root = ref<HTMLElement>();
const watcher = new ResizeObserver(() => channel.tellHeight(root.value?.scrollHeight ?? 0));
onMounted(() => watcher.observe(root.value!));
onBeforeUnmount(() => watcher.disconnect());

const dataAge = computed(() => {
  const newest = answer.value?.datasets[0];
  if (!newest || !answer.value) return '';
  const { locale, timeZone } = answer.value.taste;
  return new Intl.DateTimeFormat(locale, { dateStyle: 'medium', timeStyle: 'short', timeZone }).format(
    new Date(newest.loadedAt),
  );
});
</script>

<template>
  <div ref="root" class="page" :class="{ loading: isLoading && answer }" :aria-busy="isLoading">
    <header v-if="!isBare && answer && !problem">
      <svg viewBox="0 0 24 24" width="22" height="22" aria-hidden="true">
        <path
          d="M12 3c-3.6 0-5.4 2.6-5.4 6.2 0 3.9-1.2 5.6-2.6 7.3h16c-1.4-1.7-2.6-3.4-2.6-7.3C17.4 5.6 15.6 3 12 3Z"
          fill="var(--sea)"
        />
        <circle cx="12" cy="19.6" r="1.9" fill="var(--brass)" />
      </svg>
      <h1>{{ answer.title }}</h1>
      <nav v-if="answer.pages.length > 1" aria-label="Pages">
        <button
          v-for="page in answer.pages"
          :key="page.name"
          type="button"
          :aria-current="page.name === answer.page.name ? 'page' : undefined"
          @click="turnTo(page.name)"
        >
          {{ page.title }}
        </button>
      </nav>
      <span class="age">Data as of {{ dataAge }}</span>
    </header>
    <ProblemBox
      v-if="problem"
      :problem="problem"
      :is-framed="channel.isFramed"
      :ask="ask"
      @retry="reload"
      @signed-in="signedIn"
    />
    <template v-else-if="answer">
      <LimitStrip :answer="answer" :choices="choices" @clear="clear" />
      <main class="grid">
        <FigureCard
          v-for="figure in answer.page.figures"
          :key="figure.name"
          :figure="figure"
          :result="answer.results[figure.name]"
          :taste="answer.taste"
          :picked="choices[figure.name] ?? []"
          @pick="(value, isAdding) => pick(figure.name, value, isAdding)"
        />
      </main>
    </template>
    <div v-else class="grid waiting" role="status">
      <span class="unseen">Loading the report</span><i v-for="n in 6" :key="n" />
    </div>
  </div>
</template>

<style scoped>
.page {
  container: page / inline-size;
  padding: 1rem;
  max-width: 100rem;
  margin: 0 auto;
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.3rem 0.7rem;
  margin-bottom: 0.7rem;
}
h1 {
  font-size: 1.35rem;
  margin: 0;
}
.age {
  margin-left: auto;
  color: var(--quiet);
  font-size: 0.875rem;
}
nav {
  display: flex;
  gap: 0.2rem;
}
nav button {
  border: 0;
  border-bottom: 2px solid transparent;
  background: none;
  padding: 0.2rem 0.6rem;
}
nav button[aria-current] {
  border-color: var(--brass);
  font-weight: 600;
}
.grid {
  display: grid;
  grid-template-columns: repeat(12, minmax(0, 1fr));
  grid-auto-rows: 2.65rem;
  gap: 0.7rem;
  transition: opacity 0.15s;
}
.loading .grid {
  opacity: 0.65;
}
.waiting i {
  grid-column: span 3;
  grid-row: span 2;
  background: var(--line);
  border-radius: 4px;
  opacity: 0.5;
}
.waiting i:nth-of-type(n + 5) {
  grid-column: span 6;
  grid-row: span 7;
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
  .age {
    margin-left: 0;
  }
}
</style>
