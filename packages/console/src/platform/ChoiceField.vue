<script setup lang="ts">
import { computed } from 'vue';

export interface Option {
  readonly value: string;
  readonly label: string;
}
export type OptionOrGroup = Option | { readonly label: string; readonly options: readonly Option[] };

/** The browser's own list to choose from: every keyboard, screen reader and phone knows it. */
const props = defineProps<{
  options: readonly OptionOrGroup[];
  value?: string;
  placeholder?: string;
  mayBeEmpty?: boolean;
}>();
const emit = defineEmits<{ 'update:value': [value: string | undefined] }>();
const chosen = computed({
  get: () => props.value ?? '',
  set: (value: string) => emit('update:value', value === '' ? undefined : value),
});
</script>

<template>
  <select v-model="chosen">
    <option v-if="placeholder" value="" :disabled="!mayBeEmpty">{{ placeholder }}</option>
    <template v-for="one in options" :key="one.label">
      <optgroup v-if="'options' in one" :label="one.label">
        <option v-for="option in one.options" :key="option.value" :value="option.value">{{ option.label }}</option>
      </optgroup>
      <option v-else :value="one.value">{{ one.label }}</option>
    </template>
  </select>
</template>

<style scoped>
select {
  font: inherit;
  font-weight: 400;
  height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
  width: 100%;
  min-width: 0;
}
</style>
