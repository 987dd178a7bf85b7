<script setup lang="ts">
import { defineAsyncComponent, onBeforeUnmount, onMounted, reactive, shallowRef } from 'vue';
import type { Collection } from '@underbell/core/folder';
import type { ProblemDocument } from '@underbell/core/refusal';
import { FrameKey } from '../session/frameKey.ts';
import { offline } from './viewApi.ts';

/** What lies in a folder, for whoever looks: words, links, and small current pictures. */
const ProblemBox = defineAsyncComponent(() => import('./ProblemBox.vue'));
const props = defineProps<{ name: string }>();
const isFramed = window.parent !== window;
const found = shallowRef<Collection>();
const problem = shallowRef<ProblemDocument>();
/** Pictures by path, fetched with the reader's key: a plain image would come without it. */
const pictures = reactive<Record<string, string>>({});
let key: string | undefined;

const frameKey = new FrameKey((other) => {
  if (problem.value?.code === 'SIGN_IN_NEEDED') use(other);
});
onBeforeUnmount(() => frameKey.close());

const ask = (path: string) => fetch(path, key === undefined ? {} : { headers: { Authorization: `Bearer ${key}` } });

async function draw(path: string): Promise<void> {
  const answer = await ask(path).catch(() => undefined);
  // Without a picture its card has words still.
  if (answer?.ok) pictures[path] = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(await answer.text())}`;
}
async function load(): Promise<void> {
  const answer = await ask(`/api/v1/collections/${encodeURIComponent(props.name)}`).catch(() => undefined);
  const said = (await answer?.json().catch(() => undefined)) as unknown;
  if (answer?.ok) {
    problem.value = undefined;
    found.value = said as Collection;
    document.title = found.value.title;
    if (found.value.hasPictures) for (const { picture } of found.value.things) await draw(picture);
    return;
  }
  const document_ = said as Partial<ProblemDocument> | undefined;
  const wrong = typeof document_?.code === 'string' ? (document_ as ProblemDocument) : offline;
  if (wrong.code === 'SIGN_IN_NEEDED') {
    const tried = key;
    if (tried !== undefined) frameKey.drop(tried);
    key = undefined;
    if (frameKey.known !== undefined && frameKey.known !== tried) return use(frameKey.known);
    frameKey.want();
  }
  problem.value = wrong;
}
function use(other: string): void {
  key = other;
  void load();
}
function signedIn(other: string | undefined): void {
  if (other === undefined) return void load();
  frameKey.take(other);
  use(other);
}
onMounted(load);
/** Reports are in full in a window of their own: a host frames the collection, not them. */
const target = isFramed ? '_blank' : '_self';
</script>

<template>
  <main class="collection">
    <ProblemBox v-if="problem" :problem="problem" :is-framed="isFramed" @retry="load" @signed-in="signedIn" />
    <template v-else-if="found">
      <h1>{{ found.title }}</h1>
      <p v-if="found.words" class="words">{{ found.words }}</p>
      <ul class="cards">
        <li v-for="one in found.things" :key="one.path">
          <a :href="one.path" :target="target" rel="noopener">
            <span v-if="found.hasPictures" class="picture">
              <img v-if="pictures[one.picture]" :src="pictures[one.picture]" alt="" />
            </span>
            <b>{{ one.title }}</b>
          </a>
          <span v-if="one.description" class="quiet">{{ one.description }}</span>
        </li>
      </ul>
      <p v-if="found.things.length === 0" class="quiet">Nothing in here that is for you.</p>
      <nav v-if="found.folders.length > 0" aria-label="Collections in it">
        <a v-for="one in found.folders" :key="one.name" :href="`/f/${one.name}`">{{ one.title }}</a>
      </nav>
    </template>
    <p v-else role="status" class="quiet">Loading …</p>
  </main>
</template>

<style scoped>
.collection {
  padding: 1rem;
  max-width: 80rem;
  margin: 0 auto;
}
h1 {
  font-size: 1.5rem;
  margin: 0 0 0.4rem;
}
.words {
  white-space: pre-line;
  max-width: 48rem;
  margin: 0 0 1rem;
}
.cards {
  list-style: none;
  padding: 0;
  margin: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(17rem, 100%), 1fr));
  gap: 0.8rem;
}
.cards li {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.7rem 0.9rem;
  display: grid;
  gap: 0.3rem;
  align-content: start;
}
.cards a {
  display: grid;
  gap: 0.4rem;
}
.picture {
  display: block;
  aspect-ratio: 16 / 9;
  overflow: hidden;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: var(--paper);
}
img {
  display: block;
  width: 100%;
}
.quiet {
  color: var(--quiet);
}
nav {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 1.2rem;
  margin-top: 1.2rem;
}
</style>
