<script setup lang="ts">
import { Checkbox } from 'ant-design-vue';
import type { Option } from './ChoiceField.vue';

/** Several of a few things. */
const props = defineProps<{ label: string; options: readonly Option[]; value: readonly string[]; none: string }>();
const emit = defineEmits<{ 'update:value': [value: string[]] }>();
const toggle = (value: string, isOn: boolean) =>
  emit('update:value', isOn ? [...props.value, value] : props.value.filter((one) => one !== value));
</script>

<template>
  <fieldset>
    <legend>{{ label }}</legend>
    <span v-if="options.length === 0" class="quiet">{{ none }}</span>
    <Checkbox
      v-for="one in options"
      :key="one.value"
      :checked="value.includes(one.value)"
      @update:checked="(isOn: boolean) => toggle(one.value, isOn)"
      >{{ one.label }}</Checkbox
    >
  </fieldset>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 0.8rem;
  align-content: start;
}
legend {
  font-size: 1em;
  font-weight: 600;
  margin: 0 0 0.25rem;
  padding: 0;
  border: 0;
  color: inherit;
}
</style>
