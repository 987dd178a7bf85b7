<script setup lang="ts">
import { defineAsyncComponent, onMounted, reactive, shallowRef } from 'vue';
import type { Collection } from '@underbell/core/folder';
import { useService } from '../session/useService.ts';

/** What lies in a folder, for whoever looks: words, links, and small current pictures. */
const ProblemBox = defineAsyncComponent(() => import('./ProblemBox.vue'));
const props = defineProps<{ name: string }>();
const found = shallowRef<Collection>();
/** Pictures by path, fetched with the reader's key: a plain image would come without it. */
const pictures = reactive<Record<string, string>>({});

const { problem, isFramed, ask, send, run, signedIn } = useService(async () => {
  found.value = await ask<Collection>(`/api/v1/folders/${encodeURIComponent(props.name)}/contents`);
  document.title = found.value.title;
  void drawAll(found.value);
});
/** One after the other: the words are there already. */
async function drawAll({ hasPictures, things }: Collection): Promise<void> {
  if (hasPictures) for (const { picture } of things) await draw(picture);
}
async function draw(path: string): Promise<void> {
  const answer = await send(path);
  // Without a picture its card has words still.
  if (answer?.ok) pictures[path] = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(await answer.text())}`;
}
onMounted(run);
/** Reports are in full in a window of their own: a host frames the collection, not them. */
const target = isFramed ? '_blank' : '_self';
</script>

<template>
  <main class="collection">
    <ProblemBox v-if="problem" :problem="problem" :is-framed="isFramed" @retry="run" @signed-in="signedIn" />
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
      <p v-if="found.things.length === 0" class="quiet">No items.</p>
      <nav v-if="found.folders.length > 0" aria-label="Subfolders">
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
