<script setup lang="ts">
import { Button, Checkbox } from 'ant-design-vue';
import { computed } from 'vue';
import type { PlacementLook } from '@underbell/core/place';
import { chartParts } from '@underbell/core/report';

/** What of a page a place shows, in which order, and what its charts leave out. */
const props = defineProps<{
  /** Of the page that is placed; none where several pages or a board are. */
  figures: readonly { readonly name: string; readonly title: string }[];
}>();
const look = defineModel<Pick<PlacementLook, 'hide' | 'figures' | 'isStacked'>>({ required: true });
const words = {
  labels: 'values and names at the marks',
  'axis titles': 'titles of axes',
  legend: 'legends',
} as const;

/** Those that are shown, in their order, then the others. */
const rows = computed(() => {
  const chosen = (look.value.figures ?? props.figures.map((one) => one.name)).flatMap(
    (name) => props.figures.find((one) => one.name === name) ?? [],
  );
  return [
    ...chosen.map((one) => ({ ...one, isShown: true })),
    ...props.figures.filter((one) => !chosen.includes(one)).map((one) => ({ ...one, isShown: false })),
  ];
});
const shownNames = computed(() => rows.value.filter((one) => one.isShown).map((one) => one.name));
function setFigures(names: readonly string[]): void {
  const { figures: _, ...rest } = look.value;
  const isUsual = names.join() === props.figures.map((one) => one.name).join();
  look.value = isUsual ? rest : { ...rest, figures: names };
}
function toggle(name: string): void {
  const names = shownNames.value;
  setFigures(names.includes(name) ? names.filter((one) => one !== name) : [...names, name]);
}
function move(name: string, by: -1 | 1): void {
  const names = [...shownNames.value];
  const at = names.indexOf(name);
  const other = names[at + by];
  if (other === undefined) return;
  [names[at], names[at + by]] = [other, name];
  setFigures(names);
}
const toggleStack = () => (look.value = { ...look.value, isStacked: !look.value.isStacked });
const togglePart = (part: (typeof chartParts)[number]) => {
  const hide = chartParts.filter((one) => (one === part) !== (look.value.hide?.includes(one) ?? false));
  look.value = { ...look.value, hide };
};
</script>

<template>
  <fieldset>
    <legend>Charts without</legend>
    <Checkbox
      v-for="part in chartParts"
      :key="part"
      :checked="look.hide?.includes(part) ?? false"
      @change="togglePart(part)"
      >{{ words[part] }}</Checkbox
    >
  </fieldset>
  <template v-if="figures.length > 1">
    <fieldset>
      <legend>Figures, in their order here</legend>
      <ol>
        <li v-for="(one, i) in rows" :key="one.name">
          <Checkbox
            :checked="one.isShown"
            :disabled="one.isShown && shownNames.length === 1"
            @change="toggle(one.name)"
            >{{ one.title }}</Checkbox
          >
          <template v-if="one.isShown">
            <Button size="small" :disabled="i === 0" :aria-label="`${one.title} earlier`" @click="move(one.name, -1)"
              >Earlier</Button
            >
            <Button
              size="small"
              :disabled="i === shownNames.length - 1"
              :aria-label="`${one.title} later`"
              @click="move(one.name, 1)"
              >Later</Button
            >
          </template>
        </li>
      </ol>
      <Checkbox :checked="look.isStacked ?? false" @change="toggleStack"
        >One under the other, however wide the place is</Checkbox
      >
    </fieldset>
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
ol {
  margin: 0 0 0.4rem;
  padding-left: 1.4rem;
}
li {
  margin-bottom: 0.2rem;
}
li > :deep(.ant-btn) {
  margin-right: 0.3rem;
}
</style>
