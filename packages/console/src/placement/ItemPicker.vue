<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { ListedBoard } from '@underbell/core/board';
import type { FoundThing } from '@underbell/core/folder';
import { placementLabel, type PlacedThing } from '@underbell/core/placement';
import type { Catalogue } from '../board/FigureCatalogue.vue';
import { call } from '../platform/api.ts';
import { placeables, sameThing, search, type Placeable } from './placeable.ts';

/** What is to be placed, chosen from everything that there is now. */
const props = defineProps<{ value?: PlacedThing; reports: Catalogue; boards: readonly ListedBoard[] }>();
const emit = defineEmits<{ 'update:value': [chosen: Placeable] }>();
const text = ref('');
/** Found by a column, a description or a measure inside: `report quay-punctuality`. */
const inside = ref<ReadonlySet<string>>(new Set());
let turn = 0;
let timer = 0;
watch(text, (wanted) => {
  window.clearTimeout(timer);
  const mine = ++turn;
  inside.value = new Set();
  if (wanted.trim().length < 2) return;
  timer = window.setTimeout(() => {
    call<{ found: FoundThing[] }>('GET', `/api/v1/search?text=${encodeURIComponent(wanted.trim())}`).then(
      ({ found }) => {
        if (mine === turn) inside.value = new Set(found.map((one) => `${one.kind} ${one.name}`));
      },
      // The list that is there is searched all the same.
      () => undefined,
    );
  }, 200);
});
const all = computed(() => placeables(props.reports, props.boards));
const shown = computed(() => search(all.value, text.value, inside.value));
const isChosen = (one: Placeable) => props.value !== undefined && sameThing(one.thing, props.value);
</script>

<template>
  <div class="picker">
    <label>Search <input v-model="text" type="search" placeholder="title, name or column" /></label>
    <ul :aria-label="`${shown.length} items`" tabindex="0">
      <li v-for="one in shown" :key="placementLabel(one.thing)">
        <button type="button" :aria-pressed="isChosen(one)" @click="emit('update:value', one)">
          <span class="kind">{{ one.kind }}</span> <b>{{ one.title }}</b> <span class="quiet">{{ one.of }}</span>
        </button>
      </li>
      <li v-if="shown.length === 0" class="quiet">No results.</li>
    </ul>
  </div>
</template>

<style scoped>
label {
  display: grid;
  gap: 0.2rem;
}
input {
  font: inherit;
  min-height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
  width: 100%;
}
ul {
  list-style: none;
  margin: 0.5rem 0 0;
  padding: 0;
  max-height: 17rem;
  overflow-y: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
}
li.quiet {
  padding: 0.5rem 0.7rem;
}
button {
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.6rem;
  align-items: baseline;
  width: 100%;
  text-align: left;
  font: inherit;
  color: var(--ink);
  background: none;
  border: 0;
  border-left: 3px solid transparent;
  padding: 0.3rem 0.7rem;
  cursor: pointer;
}
button:hover {
  background: var(--paper);
}
button[aria-pressed='true'] {
  border-left-color: var(--brass);
  background: var(--paper);
}
.kind {
  width: 4rem;
  color: var(--quiet);
  font-size: 0.875rem;
}
</style>
