<script setup lang="ts">
import './own.css';
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';
import type { SidePanel } from '@underbell/core/app';
import App from '../App.vue';
import type { Host } from '../host/host.ts';
import { WithinHost } from '../host/embedded.ts';
import { useService } from '../session/useService.ts';
import { readAddress } from '../view/address.ts';
import { toSearch } from '../view/viewApi.ts';
import PanelChoice from './PanelChoice.vue';

/** A person's own reports beside an app, one at a time: their choice and order, and the last one again. */
const ProblemBox = defineAsyncComponent(() => import('../view/ProblemBox.vue'));
const props = defineProps<{ name: string; host: Host }>();
const path = `/api/v1/apps/${encodeURIComponent(props.name)}/panel`;
/** What a place shows may hang on the record beside it: its title does, then. */
const pathBeside = () => `${path}?${toSearch({ ...nothing, record: within.record ?? readAddress().question.record })}`;
const nothing = { choices: {}, drills: {}, without: [], parameters: {} };
const panel = shallowRef<SidePanel>();
const shown = ref('');
const isChoosing = ref(false);
const said = ref('');

const { problem, isFramed, ask, run, signedIn, keyNow } = useService(async () =>
  take(await ask<SidePanel>(pathBeside())),
);
const within = new WithinHost(props.host, keyNow);

function take(found: SidePanel): void {
  panel.value = found;
  if (!found.chosen.includes(shown.value)) shown.value = found.shown ?? found.chosen[0] ?? '';
}
const items = computed(
  () => panel.value?.chosen.map((name) => panel.value!.may.find((one) => one.placement === name)!) ?? [],
);
const at = computed(() => items.value.findIndex((one) => one.placement === shown.value));

async function keep(wish: Partial<Pick<SidePanel, 'chosen' | 'shown'>>): Promise<void> {
  said.value = '';
  try {
    take(await ask<SidePanel>(pathBeside(), 'PUT', wish));
  } catch (error) {
    said.value = `Not saved: ${error instanceof Error ? error.message : String(error)}.`;
  }
}
function show(name: string): void {
  shown.value = name;
  void keep({ shown: name });
}
const turn = (by: number) => show(items.value[(at.value + by + items.value.length) % items.value.length]!.placement);
async function choose(chosen: readonly string[]): Promise<void> {
  await keep({ chosen });
  isChoosing.value = false;
}
async function enlarge(): Promise<void> {
  if (document.fullscreenElement) return document.exitFullscreen();
  try {
    await document.documentElement.requestFullscreen();
  } catch {
    said.value = 'Cannot enlarge here. Open the full page.';
  }
}
const isLarge = ref(false);
const onGrown = () => (isLarge.value = document.fullscreenElement !== null);

const root = ref<HTMLElement>();
const watcher = new ResizeObserver(() => props.host.tellHeight(root.value?.scrollHeight ?? 0));
onMounted(() => {
  watcher.observe(root.value!);
  document.addEventListener('fullscreenchange', onGrown);
  void run();
});
onBeforeUnmount(() => {
  watcher.disconnect();
  document.removeEventListener('fullscreenchange', onGrown);
});
</script>

<template>
  <main ref="root" class="panel">
    <ProblemBox v-if="problem" :problem="problem" :is-framed="isFramed" @retry="run" @signed-in="signedIn" />
    <template v-else-if="panel">
      <h1 class="unseen">Your reports in {{ panel.title }}</h1>
      <div class="own-bar no-print">
        <template v-if="items.length > 0 && !isChoosing">
          <button type="button" :disabled="items.length < 2" @click="turn(-1)">Previous</button>
          <select :value="shown" aria-label="Report" @change="show(($event.target as HTMLSelectElement).value)">
            <option v-for="one in items" :key="one.placement" :value="one.placement">{{ one.title }}</option>
          </select>
          <button type="button" :disabled="items.length < 2" @click="turn(1)">Next</button>
          <button type="button" @click="enlarge">{{ isLarge ? 'Smaller' : 'Enlarge' }}</button>
        </template>
        <button v-if="!isChoosing && panel.may.length > 0" type="button" @click="isChoosing = true">
          Select reports
        </button>
      </div>
      <p v-if="said" class="own-said" role="status">{{ said }}</p>
      <PanelChoice v-if="isChoosing" :panel="panel" @choose="choose" @close="isChoosing = false" />
      <p v-else-if="panel.may.length === 0" class="own-quiet">No reports in {{ panel.title }}.</p>
      <p v-else-if="items.length === 0" class="own-quiet">No reports selected.</p>
      <App v-else :key="shown" :target="{ kind: 'placement', name: shown }" :host="within" />
    </template>
    <p v-else role="status" class="own-quiet">Loading …</p>
  </main>
</template>

<style scoped>
/* What is shown is named in the list above it. */
.panel :deep(.page > header > h1),
.panel :deep(.page > header > svg) {
  display: none;
}
select {
  flex: 1 1 8rem;
}
@media (max-width: 420px) {
  select {
    order: -1;
    flex-basis: 100%;
  }
}
</style>
