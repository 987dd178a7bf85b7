<script setup lang="ts">
import { Checkbox } from 'ant-design-vue';
import { computed } from 'vue';
import type { PlacementLook } from '@underbell/core/placement';
import { chartParts } from '@underbell/core/report';
import OrderedField from '../platform/OrderedField.vue';

/** What of a page a place shows, in which order, and what its charts leave out. */
const props = defineProps<{
  /** Of the page that is placed; none where several pages or a board are. */
  figures: readonly { readonly name: string; readonly title: string }[];
}>();
const look = defineModel<Pick<PlacementLook, 'hide' | 'figures' | 'isStacked'>>({ required: true });
const words = {
  labels: 'data labels',
  'axis titles': 'axis titles',
  legend: 'legends',
} as const;

const usual = computed(() => props.figures.map((one) => one.name));
const options = computed(() => props.figures.map((one) => ({ value: one.name, label: one.title })));
const shown = computed(() => (look.value.figures ?? usual.value).filter((name) => usual.value.includes(name)));
function setFigures(names: readonly string[]): void {
  const { figures: _, ...rest } = look.value;
  look.value = names.join() === usual.value.join() ? rest : { ...rest, figures: names };
}
const toggleStack = () => (look.value = { ...look.value, isStacked: !look.value.isStacked });
const togglePart = (part: (typeof chartParts)[number]) => {
  const hide = chartParts.filter((one) => (one === part) !== (look.value.hide?.includes(one) ?? false));
  look.value = { ...look.value, hide };
};
</script>

<template>
  <fieldset>
    <legend>Hide in charts</legend>
    <Checkbox
      v-for="part in chartParts"
      :key="part"
      :checked="look.hide?.includes(part) ?? false"
      @change="togglePart(part)"
      >{{ words[part] }}</Checkbox
    >
  </fieldset>
  <template v-if="figures.length > 1">
    <OrderedField
      class="order"
      label="Figures and order"
      :options="options"
      :value="shown"
      @update:value="setFigures"
    />
    <Checkbox :checked="look.isStacked ?? false" @change="toggleStack">Single column</Checkbox>
  </template>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0.8rem 0 0;
}
legend {
  font-size: 1rem;
  padding: 0;
  margin-bottom: 0.2rem;
}
.order {
  margin: 0.8rem 0 0.4rem;
  max-width: 30rem;
}
</style>
