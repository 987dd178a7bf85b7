<script setup lang="ts">
import './own.css';
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';
import type { AppPage, PageShared } from '@underbell/core/app';
import App from '../App.vue';
import type { Host } from '../host/host.ts';
import { WithinHost } from '../host/embedded.ts';
import { useService } from '../session/useService.ts';

/** Pages on which people of an app put figures of reports beside the app's own charts. */
const ProblemBox = defineAsyncComponent(() => import('../view/ProblemBox.vue'));
const PageEditor = defineAsyncComponent(() => import('./PageEditor.vue'));
const SharePage = defineAsyncComponent(() => import('./SharePage.vue'));
const props = defineProps<{ name: string; host: Host }>();
const base = `/api/v1/apps/${encodeURIComponent(props.name)}/pages`;

interface Found {
  readonly title: string;
  readonly pages: readonly AppPage[];
  readonly charts: readonly { readonly name: string; readonly title: string }[];
}
const found = shallowRef<Found>();
const shown = ref(new URLSearchParams(window.location.search).get('show') ?? '');
const doing = ref<'looking' | 'making' | 'changing' | 'sharing' | 'taking away'>('looking');
const said = ref('');
/** Another look draws anew what was changed. */
const looks = ref(0);

const { problem, isFramed, ask, run, signedIn, keyNow } = useService(async () => {
  found.value = await ask<Found>(base);
  if (!found.value.pages.some((one) => one.name === shown.value)) shown.value = found.value.pages[0]?.name ?? '';
});
const within = new WithinHost(props.host, keyNow);
const page = computed(() => found.value?.pages.find((one) => one.name === shown.value));
const mayChange = computed(() => page.value?.right === 'edit' || page.value?.right === 'own');

async function saved(name: string): Promise<void> {
  shown.value = name;
  await run();
  looks.value++;
  doing.value = 'looking';
}
function shared({ person, unseen }: PageShared): void {
  doing.value = 'looking';
  said.value =
    unseen.length === 0
      ? `Shared with ${person}. They see only data they have access to.`
      : `Shared with ${person}. They have no access to: ${unseen.join(', ')}.`;
}
async function takeAway(): Promise<void> {
  try {
    await ask(`/api/v1/boards/${encodeURIComponent(shown.value)}`, 'DELETE');
    said.value = `“${page.value!.title}” moved to trash. You can restore it for 30 days.`;
    await run();
    doing.value = 'looking';
  } catch (error) {
    said.value = error instanceof Error ? error.message : String(error);
  }
}

const root = ref<HTMLElement>();
const watcher = new ResizeObserver(() => props.host.tellHeight(root.value?.scrollHeight ?? 0));
onMounted(() => {
  watcher.observe(root.value!);
  void run();
});
onBeforeUnmount(() => watcher.disconnect());
</script>

<template>
  <main ref="root">
    <ProblemBox v-if="problem" :problem="problem" :is-framed="isFramed" @retry="run" @signed-in="signedIn" />
    <template v-else-if="found">
      <div v-if="doing === 'looking' || doing === 'taking away'" class="own-bar no-print">
        <select v-if="found.pages.length > 0" v-model="shown" aria-label="Page">
          <option v-for="one in found.pages" :key="one.name" :value="one.name">{{ one.title }}</option>
        </select>
        <button type="button" @click="doing = 'making'">Create page</button>
        <template v-if="mayChange">
          <button type="button" @click="doing = 'changing'">Edit</button>
          <button v-if="page!.right === 'own'" type="button" @click="doing = 'sharing'">Share …</button>
          <button v-if="page!.right === 'own'" type="button" @click="doing = 'taking away'">Delete</button>
        </template>
      </div>
      <p v-if="doing === 'taking away'" class="own-said">
        Move “{{ page!.title }}” to trash, for everyone it is shared with?
        <button type="button" @click="takeAway">Move to trash</button>
        <button type="button" @click="doing = 'looking'">Cancel</button>
      </p>
      <p v-if="said" class="own-said" role="status">
        {{ said }} <button type="button" @click="said = ''">Close</button>
      </p>
      <PageEditor
        v-if="doing === 'making' || doing === 'changing'"
        :ask="ask"
        :base="base"
        :charts="found.charts"
        v-bind="doing === 'changing' ? { page } : {}"
        @saved="saved"
        @close="doing = 'looking'"
      />
      <SharePage
        v-else-if="doing === 'sharing'"
        :ask="ask"
        :path="`${base}/${shown}/share`"
        @shared="shared"
        @close="doing = 'looking'"
      />
      <App v-else-if="page" :key="`${shown} ${looks}`" :target="{ kind: 'board', name: shown }" :host="within" />
      <p v-else class="own-quiet">
        No pages. Combine report figures with charts of {{ found.title }}, then share the page.
      </p>
    </template>
    <p v-else role="status" class="own-quiet">Loading …</p>
  </main>
</template>

<style scoped>
select {
  flex: 1 1 10rem;
  max-width: 24rem;
}
</style>
