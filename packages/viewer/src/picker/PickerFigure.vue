<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue';
import type { PickerFigure } from '@underbell/core/report';
import type { ViewResponse } from '@underbell/core/view';
import { useViewing } from '../view/viewing.ts';
import PeriodPicker from './PeriodPicker.vue';

const props = defineProps<{ figure: PickerFigure; answer: ViewResponse }>();
const viewing = useViewing();
const parameter = computed(() => props.answer.parameters.find((one) => one.name === props.figure.parameter));
const held = computed(() => parameter.value?.texts ?? []);
const isDates = computed(
  () => parameter.value?.isPeriod === true || props.figure.look === 'dates' || parameter.value?.type === 'date',
);
const isSearch = computed(() => props.figure.look === 'search');

const search = ref('');
const offered = ref<{ values: { value: string; words: string }[]; isCut: boolean }>({ values: [], isCut: false });
let turn = 0;
async function load(): Promise<void> {
  if (isDates.value || !viewing || !parameter.value) return;
  const mine = ++turn;
  const found = await viewing.api
    .values(viewing.question.value, props.figure.parameter, search.value)
    .catch(() => undefined);
  if (found && mine === turn) offered.value = found;
}
onMounted(load);
watch([search, () => props.answer], load);

/** What is chosen is always there, also when the search leaves it out. */
const shown = computed(() => {
  const missing = held.value.filter((one) => !offered.value.values.some((value) => value.value === one));
  return [...missing.map((value) => ({ value, words: value })), ...offered.value.values];
});
const set = (values: readonly string[]) => viewing?.setParameter(props.figure.parameter, values);
function toggle(value: string): void {
  if (parameter.value?.isMany)
    set(held.value.includes(value) ? held.value.filter((one) => one !== value) : [...held.value, value]);
  else set(held.value.includes(value) && !parameter.value?.isRequired ? [] : [value]);
}
</script>

<template>
  <p v-if="!parameter" class="quiet">No values.</p>
  <p v-else-if="parameter.isFixed">{{ parameter.words }} <small class="quiet">fixed</small></p>
  <PeriodPicker v-else-if="isDates" :parameter="parameter" @set="set" />
  <template v-else>
    <input
      v-if="isSearch || offered.isCut || search"
      v-model.trim="search"
      type="search"
      :aria-label="`Search in ${figure.title}`"
      placeholder="Search"
    />
    <ul class="values" :aria-label="figure.title">
      <li v-for="one in shown" :key="one.value">
        <label>
          <input
            :type="parameter.isMany ? 'checkbox' : 'radio'"
            :name="`picker-${figure.name}`"
            :checked="held.includes(one.value)"
            :disabled="!viewing"
            @click="toggle(one.value)"
          />
          {{ one.words }}
        </label>
      </li>
      <li v-if="shown.length === 0" class="quiet">No results.</li>
    </ul>
    <p v-if="offered.isCut" class="quiet">Search to see more.</p>
    <button v-if="held.length > 0 && !parameter.isRequired" type="button" class="clear" @click="set([])">
      Show all
    </button>
  </template>
</template>

<style scoped>
.values {
  list-style: none;
  margin: 0.2rem 0 0;
  padding: 0;
  overflow: auto;
  flex: 1;
  min-height: 0;
  columns: auto 9rem;
  column-gap: 0.8rem;
}
label {
  display: flex;
  gap: 0.4rem;
  align-items: center;
  min-height: 26px;
  break-inside: avoid;
}
input[type='search'] {
  font: inherit;
  padding: 0.2rem 0.5rem;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
  width: 100%;
}
input[type='checkbox'],
input[type='radio'] {
  accent-color: var(--sea);
}
.quiet {
  color: var(--quiet);
  margin: 0.2rem 0 0;
  font-size: 0.875rem;
}
.clear {
  align-self: flex-start;
  border: 0;
  background: none;
  color: var(--sea);
  padding: 0;
  min-height: 24px;
}
</style>
