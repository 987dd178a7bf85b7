<script setup lang="ts">
import { computed } from 'vue';
import type { DraftChoices } from './useDraftOptions.ts';
import type { Draft } from './draft.ts';

/** What is sent, and under which name. */
const draft = defineModel<Draft>({ required: true });
const props = defineProps<{ choices: DraftChoices; isNew: boolean }>();
/** Parameters that neither the list nor the period sets. */
const open = computed(() =>
  props.choices.parameters.filter(
    ({ name }) =>
      !draft.value.bind.some((one) => one.parameter === name) &&
      !(draft.value.periodUnit !== '' && draft.value.periodParameter === name),
  ),
);
const valueOf = (name: string) => draft.value.parameters.find((one) => one.parameter === name)?.value ?? '';
function set(name: string, value: string): void {
  const others = draft.value.parameters.filter((one) => one.parameter !== name);
  draft.value.parameters = value === '' ? others : [...others, { parameter: name, value }];
}
const placeholder = (one: DraftChoices['parameters'][number]) =>
  one.default === undefined ? 'no filter' : `${[one.default].flat().join(', ')}, report default`;
</script>

<template>
  <div class="fields">
    <label
      >Report
      <select v-model="draft.report" required>
        <option value="" disabled>Select a report</option>
        <option v-for="one in choices.reports" :key="one.name" :value="one.name">
          {{ one.title }}
        </option>
      </select></label
    >
    <label
      >Page
      <select v-model="draft.page">
        <option value="">first page</option>
        <option v-for="one in choices.pages" :key="one.name" :value="one.name">
          {{ one.title }}
        </option>
      </select></label
    >
    <label>Title <input v-model="draft.title" required placeholder="Monthly quay pack" /></label>
    <label
      >Name (used in URLs)
      <input v-model="draft.name" required :readonly="!isNew" pattern="[a-z][a-z0-9\-]*" placeholder="quay-pack"
    /></label>
    <label v-for="one in open" :key="one.name"
      >{{ one.label ?? one.name }}
      <input
        :value="valueOf(one.name)"
        :placeholder="placeholder(one)"
        @change="set(one.name, ($event.target as HTMLInputElement).value.trim())"
    /></label>
  </div>
</template>
