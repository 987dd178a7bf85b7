<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed } from 'vue';
import type { BoardFigure } from '@underbell/core/board';
import type { Catalogue } from './FigureCatalogue.vue';

/** The title, place and fixed filter of one figure of a board. */
const props = defineProps<{ figure: BoardFigure; title: string; catalogue: Catalogue }>();
const emit = defineEmits<{ change: [figure: BoardFigure]; remove: [] }>();

const report = computed(() => props.catalogue.find((one) => one.report === props.figure.report));
function setTitle(text: string): void {
  const { title: _, ...rest } = props.figure;
  emit('change', text.trim() === '' ? rest : { ...rest, title: text });
}
/** An empty field takes the entry away. */
function setEntry(part: 'where' | 'parameters', name: string, text: string): void {
  const { [name]: _, ...others } = props.figure[part] ?? {};
  const next = text.trim() === '' ? others : { ...others, [name]: text.trim() };
  const { [part]: _old, ...rest } = props.figure;
  emit('change', Object.keys(next).length > 0 ? { ...rest, [part]: next } : rest);
}
const valueOf = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <section class="form" aria-labelledby="figure-form">
    <h2 id="figure-form">{{ title }}</h2>
    <label>Title <input :value="figure.title ?? ''" :placeholder="title" @change="setTitle(valueOf($event))" /></label>
    <label v-for="one in report?.parameters ?? []" :key="one.name">
      {{ one.label }}, fixed value
      <input
        :value="figure.parameters?.[one.name] ?? ''"
        placeholder="report default"
        @change="setEntry('parameters', one.name, valueOf($event))"
      />
    </label>
    <label v-for="dataset in report?.datasets ?? []" :key="dataset">
      Filter for {{ dataset }}
      <input
        :value="figure.where?.[dataset] ?? ''"
        spellcheck="false"
        placeholder="district = 'Northing'"
        @change="setEntry('where', dataset, valueOf($event))"
      />
    </label>
    <p class="acts"><Button size="small" danger @click="emit('remove')">Remove from board</Button></p>
  </section>
</template>

<style scoped>
.form {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.2rem 0.9rem 0.6rem;
}
h2 {
  margin: 0.5rem 0;
  font-size: 1rem;
}
label {
  display: grid;
  gap: 0.15rem;
  margin-bottom: 0.5rem;
}
input {
  font: inherit;
  height: 30px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
}
</style>
