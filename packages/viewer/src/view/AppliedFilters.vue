<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue';
import type { ViewResponse } from '@underbell/core/view';
import { useViewing } from './viewing.ts';

/** What is filtered, always and in words: what is fixed and marked as such, and what the reader may take off again. */
const props = defineProps<{ answer: ViewResponse; choices: Readonly<Record<string, readonly string[]>> }>();
const emit = defineEmits<{ clear: [figure?: string] }>();
const ReaderFilter = defineAsyncComponent(() => import('./ReaderFilter.vue'));
const viewing = useViewing();
const isWriting = ref(false);

const capitalised = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
const limits = computed(() => props.answer.datasets.flatMap((one) => one.limits));
/** The same limit on several datasets is said once. */
const fixed = computed(() => [
  ...new Set(limits.value.filter((one) => one.isFixed && one.words !== 'every row').map((one) => one.words)),
]);
const masked = computed(() => [
  ...new Set(props.answer.datasets.flatMap((one) => one.masks.map((mask) => mask.words))),
]);
const parameters = computed(() => props.answer.parameters.filter((one) => one.words !== undefined && !one.isFixed));
const own = computed(() =>
  Object.entries(props.choices).map(([name, values]) => {
    const title = props.answer.page.figures.find((one) => one.name === name)?.title ?? name;
    const words = limits.value.find((one) => !one.isFixed && one.name === title)?.words;
    return { name, words: words ?? `${title}: ${values.join(', ')}` };
  }),
);
/** The reader's own filter in words, on the first dataset that it fits. */
const where = computed(() => limits.value.find((one) => !one.isFixed && one.name === 'own filter')?.words);
const hasOwn = computed(() => own.value.length > 0 || viewing?.question.value.where !== undefined);
</script>

<template>
  <div class="limits" aria-live="polite">
    <span v-for="words in fixed" :key="words" class="fixed">{{ capitalised(words) }} <small>fixed</small></span>
    <span v-for="words in masked" :key="words" class="fixed">{{ capitalised(words) }} <small>masked</small></span>
    <template v-for="one in parameters" :key="one.name">
      <span v-if="one.isRequired || !viewing" class="own plain">{{ one.label }}: {{ one.words }}</span>
      <button v-else type="button" class="own" @click="viewing.setParameter(one.name, [])">
        {{ one.label }}: {{ one.words }} <span aria-hidden="true">×</span><span class="unseen">Remove filter</span>
      </button>
    </template>
    <button
      v-if="viewing?.question.value.where !== undefined && !isWriting"
      type="button"
      class="own"
      @click="viewing.setWhere(undefined)"
    >
      {{ capitalised(where ?? viewing.question.value.where ?? '') }} <span aria-hidden="true">×</span
      ><span class="unseen">Remove filter</span>
    </button>
    <button v-for="choice in own" :key="choice.name" type="button" class="own" @click="emit('clear', choice.name)">
      {{ capitalised(choice.words) }} <span aria-hidden="true">×</span><span class="unseen">Remove filter</span>
    </button>
    <button v-if="hasOwn && own.length > 1" type="button" class="all" @click="emit('clear')">Clear all</button>
    <button
      v-if="viewing && !answer.isPublic && answer.datasets.length > 0 && !isWriting"
      type="button"
      class="all no-print"
      @click="isWriting = true"
    >
      {{ viewing.question.value.where === undefined ? 'Filter' : 'Edit filter' }}
    </button>
  </div>
  <ReaderFilter v-if="viewing && isWriting" :viewing="viewing" @done="isWriting = false" />
</template>

<style scoped>
.limits {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.35rem 0.5rem;
  margin: 0 0 0.7rem;
  min-height: 1.6rem;
}
.fixed,
.own {
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0.05rem 0.55rem;
  font-size: 0.875rem;
  min-height: 26px;
}
.fixed {
  color: var(--quiet);
  display: inline-flex;
  align-items: center;
  gap: 0.35rem;
}
.fixed small {
  font-size: 0.75rem;
  border-left: 1px solid var(--line);
  padding-left: 0.35rem;
}
.own {
  background: var(--raised);
  border-color: var(--sea);
  text-align: left;
}
.plain {
  border-color: var(--line);
  display: inline-flex;
  align-items: center;
}
.all {
  border: 0;
  background: none;
  color: var(--sea);
  font-size: 0.875rem;
  min-height: 26px;
  padding: 0 0.2rem;
}
</style>
