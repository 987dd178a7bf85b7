<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, provide, ref } from 'vue';
import { saveFile } from './figure/saveFile.ts';
import type { Host } from './host/host.ts';
import { offerKey, handedOver } from './session/receivedToken.ts';
import FigureGrid from './view/FigureGrid.vue';
import AppliedFilters from './view/AppliedFilters.vue';
import PopMenu, { type MenuItem } from './view/PopMenu.vue';
import { useView } from './view/useView.ts';
import type { Access, Target } from './view/viewApi.ts';
import { viewingKey } from './view/viewing.ts';
import { useDataAge } from './view/useDataAge.ts';

/** Signing in and what can go wrong is fetched when it is needed. */
const ProblemBox = defineAsyncComponent(() => import('./view/ProblemBox.vue'));
const SendToChannel = defineAsyncComponent(() => import('./view/SendToChannel.vue'));

const props = defineProps<{ target: Target; host: Host; access?: Access }>();
const channel = props.host;
const view = useView(props.target, channel, props.access);
const { answer, problem, isLoading, isOffline, isBare, question, link, pick, clear, turnTo, reload, signedIn, ask } =
  view;
provide(viewingKey, view);

const root = ref<HTMLElement>();
const watcher = new ResizeObserver(() => {
  const most = answer.value?.look?.maxHeight ?? Number.POSITIVE_INFINITY;
  channel.tellHeight(Math.min(root.value?.scrollHeight ?? 0, most));
});
onMounted(() => watcher.observe(root.value!));
onBeforeUnmount(() => watcher.disconnect());

const { age, stale } = useDataAge(answer);
const said = ref('');
async function copyLink(): Promise<void> {
  try {
    await navigator.clipboard.writeText(link.value);
    said.value = 'Link copied.';
  } catch {
    // A frame may not write to the clipboard: then the link can be taken by hand.
    said.value = link.value;
  }
}
async function take(format: string): Promise<void> {
  said.value = '';
  try {
    saveFile(await view.api.file(question.value, { format }));
  } catch (error) {
    said.value = error instanceof Error ? error.message : String(error);
  }
}
/** Whoever is known here is known in the window, too, without being asked again: by a chat, a host's token, an own key. */
function openInFull(): void {
  if (props.access !== undefined || view.api.access === undefined)
    return void window.open(link.value, '_blank', 'noopener');
  offerKey(window.open(handedOver(link.value), '_blank'), () => view.api.access?.token);
}
const isPosting = ref(false);
const print = () => window.print();
const items = computed((): MenuItem[] => [
  { label: 'Copy link', act: () => void copyLink() },
  ...(channel.isFramed ? [{ label: 'Open full page', act: openInFull }] : []),
  ...(channel.chat !== undefined ? [{ label: 'Send to channel …', act: () => (isPosting.value = true) }] : []),
  { label: 'Print', act: print },
  ...(answer.value?.mayExport
    ? [
        { label: 'Export as workbook (.xlsx)', act: () => void take('xlsx') },
        { label: 'Export as PDF', act: () => void take('pdf') },
        { label: 'Export as image', act: () => void take('png') },
      ]
    : []),
]);
</script>

<template>
  <div ref="root" class="page">
    <header v-if="!isBare && !answer?.look?.hideBar && answer && !problem">
      <svg viewBox="0 0 24 24" width="22" height="22" aria-hidden="true">
        <path
          d="M12 3c-3.6 0-5.4 2.6-5.4 6.2 0 3.9-1.2 5.6-2.6 7.3h16c-1.4-1.7-2.6-3.4-2.6-7.3C17.4 5.6 15.6 3 12 3Z"
          fill="var(--sea)"
        />
        <circle cx="12" cy="19.6" r="1.9" fill="var(--brass)" />
      </svg>
      <h1>{{ answer.title }}</h1>
      <nav v-if="answer.pages.length > 1 && !answer.look?.hidePages" class="no-print" aria-label="Pages">
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
      <span class="age">{{ age }}</span>
      <PopMenu class="no-print" word="Share and export" label="Share and export" :items="items" />
    </header>
    <p v-if="isOffline" class="notice" role="status">
      You are offline. Showing the last data; it updates automatically.
    </p>
    <p v-for="one in stale" :key="one" class="notice" role="status">{{ one }}</p>
    <p v-if="said" class="notice said" role="status">
      {{ said }} <button type="button" @click="said = ''">Close</button>
    </p>
    <SendToChannel v-if="isPosting && answer && !problem" @close="isPosting = false" @said="said = $event" />
    <main v-if="problem">
      <ProblemBox :problem="problem" :is-framed="channel.isFramed" :ask="ask" @retry="reload" @signed-in="signedIn" />
    </main>
    <template v-else-if="answer">
      <AppliedFilters :answer="answer" :choices="question.choices" @clear="clear" />
      <FigureGrid :answer="answer" :choices="question.choices" :is-loading="isLoading" @pick="pick" />
    </template>
    <main v-else>
      <div class="grid waiting" role="status"><span class="unseen">Loading</span><i v-for="n in 6" :key="n" /></div>
    </main>
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
.notice {
  margin: 0 0 0.6rem;
  padding: 0.25rem 0.7rem;
  border-left: 3px solid var(--brass);
  background: var(--raised);
  font-size: 0.9375rem;
  overflow-wrap: anywhere;
}
.said {
  border-left-color: var(--sea);
}
.notice button {
  border: 0;
  background: none;
  color: var(--sea);
}
nav {
  flex-wrap: wrap;
}
@container page (max-width: 560px) {
  .waiting i,
  .waiting i:nth-of-type(n + 5) {
    grid-column: 1 / -1;
  }
  .age {
    margin-left: 0;
  }
}
</style>
