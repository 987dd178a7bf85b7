<script setup lang="ts">
import { Button, Checkbox } from 'ant-design-vue';
import { computed } from 'vue';
import type { Option } from './ChoiceField.vue';

/** Several of a few things, in an order. */
const props = defineProps<{ label: string; options: readonly Option[]; value: readonly string[]; least?: number }>();
const emit = defineEmits<{ 'update:value': [value: string[]] }>();

/** Those that are chosen, in their order, then the others. */
const rows = computed(() => {
  const chosen = props.value.map(
    (value) => props.options.find((one) => one.value === value) ?? { value, label: value },
  );
  return [
    ...chosen.map((one) => ({ ...one, isChosen: true })),
    ...props.options.filter((one) => !props.value.includes(one.value)).map((one) => ({ ...one, isChosen: false })),
  ];
});
const toggle = (value: string) =>
  emit(
    'update:value',
    props.value.includes(value) ? props.value.filter((one) => one !== value) : [...props.value, value],
  );
function move(at: number, by: -1 | 1): void {
  const next = [...props.value];
  [next[at], next[at + by]] = [next[at + by]!, next[at]!];
  emit('update:value', next);
}
</script>

<template>
  <fieldset>
    <legend>{{ label }}</legend>
    <ul>
      <li v-for="(one, i) in rows" :key="one.value">
        <Checkbox
          :checked="one.isChosen"
          :disabled="one.isChosen && value.length <= (least ?? 1)"
          @change="toggle(one.value)"
          >{{ one.label }}</Checkbox
        >
        <span v-if="one.isChosen && value.length > 1" class="acts">
          <Button size="small" :disabled="i === 0" :aria-label="`Move up: ${one.label}`" @click="move(i, -1)"
            >Move up</Button
          >
          <Button
            size="small"
            :disabled="i === value.length - 1"
            :aria-label="`Move down: ${one.label}`"
            @click="move(i, 1)"
            >Move down</Button
          >
        </span>
      </li>
    </ul>
  </fieldset>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
legend {
  font-size: 1em;
  margin: 0 0 0.2rem;
  padding: 0;
  border: 0;
  color: inherit;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 14rem;
  overflow-y: auto;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 0.5rem;
  margin-bottom: 0.15rem;
}
.acts {
  display: inline-flex;
  gap: 0.3rem;
}
</style>
