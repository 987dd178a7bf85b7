<script setup lang="ts">
import { computed } from 'vue';
import type { ShownLimit, ViewAnswer } from './viewApi.ts';

const props = defineProps<{ answer: ViewAnswer; choices: Record<string, string[]> }>();
const emit = defineEmits<{ clear: [figure?: string] }>();

/** The same limit on several datasets is said once. */
const fixed = computed(() => {
  const words = props.answer.datasets
    .flatMap((one) => one.limits)
    .filter((one: ShownLimit) => one.isFixed && one.words !== 'every row');
  return [...new Set(words.map((one) => one.words))];
});
const masked = computed(() => [
  ...new Set(props.answer.datasets.flatMap((one) => one.masks.map((mask) => mask.words))),
]);
const own = computed(() =>
  Object.entries(props.choices).map(([name, values]) => ({
    name,
    words: `${
      props.answer.page.figures
        .find((figure) => figure.name === name)
        ?.title.split(',')
        .at(-1)
        ?.trim() ?? name
    }: ${values.join(', ')}`,
  })),
);
/** The reader's parameters and own filter; picked marks have a chip of their own. */
const narrowing = computed(() => {
  const picked = new Set(props.answer.page.figures.map((figure) => figure.title));
  const words = props.answer.datasets
    .flatMap((one) => one.limits)
    .filter((one) => !one.isFixed && !picked.has(one.name));
  return [...new Set(words.map((one) => one.words))];
});
const capitalised = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
</script>

<template>
  <p class="limits" aria-live="polite">
    <span v-for="words in fixed" :key="words" class="fixed">{{ capitalised(words) }} <small>fixed</small></span>
    <span v-for="words in masked" :key="words" class="fixed">{{ capitalised(words) }} <small>masked</small></span>
    <span v-for="words in narrowing" :key="words" class="own">{{ capitalised(words) }}</span>
    <button v-for="choice in own" :key="choice.name" type="button" class="own" @click="emit('clear', choice.name)">
      {{ capitalised(choice.words) }} <span aria-hidden="true">×</span><span class="unseen">clear</span>
    </button>
    <button v-if="own.length > 1" type="button" class="all" @click="emit('clear')">Clear all</button>
    <span v-if="fixed.length + masked.length + own.length + narrowing.length === 0" class="none"
      >Nothing is filtered</span
    >
  </p>
</template>

<style scoped>
.limits {
  display: flex;
  flex-wrap: wrap;
  gap: 0.35rem 0.5rem;
  margin: 0 0 0.9rem;
  font-size: 0.9375rem;
  align-items: center;
}
.fixed,
.own {
  padding: 0.1rem 0.55rem;
  border-radius: 3px;
  border: 1px solid var(--line);
  background: var(--raised);
  overflow-wrap: anywhere;
  text-align: left;
}
.fixed small {
  color: var(--quiet);
  margin-left: 0.25rem;
}
.own {
  border-color: var(--sea);
  color: var(--sea);
}
.all {
  border: 0;
  background: none;
  color: var(--sea);
  text-decoration: underline;
  padding: 0;
}
.none {
  color: var(--quiet);
}
</style>
