<script setup lang="ts">
import type { FoundThing } from '@underbell/core/folder';
import { ref } from 'vue';
import { call } from '../platform/api.ts';
import { pathOf } from './useFavourites.ts';

const text = ref('');
const found = ref<FoundThing[]>();
let turn = 0;
let timer = 0;
function search(): void {
  window.clearTimeout(timer);
  const mine = ++turn;
  const wanted = text.value.trim();
  if (wanted === '') return void (found.value = undefined);
  timer = window.setTimeout(async () => {
    const answer = await call<{ found: FoundThing[] }>(
      'GET',
      `/api/v1/search?text=${encodeURIComponent(wanted)}`,
    ).catch(() => undefined);
    if (mine === turn && answer) found.value = answer.found;
  }, 150);
}
</script>

<template>
  <div role="search" class="find">
    <label for="find" class="quiet">Search reports, boards and datasets</label>
    <input id="find" v-model="text" type="search" autocomplete="off" @input="search" />
    <ul v-if="found" aria-label="Results">
      <li v-for="one in found" :key="one.kind + one.name">
        <RouterLink :to="pathOf(one)">{{ one.title }}</RouterLink>
        <span class="quiet">
          {{ one.kind }}<template v-if="one.folder"> in {{ one.folder }}</template
          ><template v-if="one.because"> · {{ one.because }}</template></span
        >
      </li>
      <li v-if="found.length === 0" class="quiet">No results.</li>
    </ul>
  </div>
</template>

<style scoped>
.find {
  display: grid;
  gap: 0.3rem;
  max-width: 40rem;
  margin: 0.6rem 0 1rem;
}
input {
  font: inherit;
  height: 36px;
  padding: 0 0.7rem;
  border: 1px solid var(--quiet);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0.4rem 0.7rem;
  display: grid;
  gap: 0.35rem;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
}
</style>
