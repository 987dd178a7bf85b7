<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, ref, watch } from 'vue';
import { freePlace } from '@underbell/core/board';
import type { Figure, GridPlace, Measure, Page, ReportDefinition } from '@underbell/core/report';
import OrderedField from '../platform/OrderedField.vue';
import type { DefinitionNames } from './completeNames.ts';
import { addTo, setAt } from './definitionEdits.ts';
import FigureFields from './FigureFields.vue';
import { fieldsOf, firstFigure } from './figureFields.ts';

/** What people change most, without writing JSON: each change is made in the same text, and nothing else in it. */
const props = defineProps<{ written: unknown; names: DefinitionNames; page: string; chosen?: string }>();
const text = defineModel<string>({ required: true });
const emit = defineEmits<{ choose: [name: string | undefined]; turn: [page: string] }>();

const report = computed(() => (props.written ?? {}) as Partial<ReportDefinition>);
const pages = computed(() => (Array.isArray(report.value.pages) ? report.value.pages : []) as readonly Partial<Page>[]);
const pageAt = computed(() =>
  Math.max(
    0,
    pages.value.findIndex((one) => one.name === props.page),
  ),
);
const current = computed(() => pages.value[pageAt.value]);
const figures = computed(
  () => (Array.isArray(current.value?.figures) ? current.value.figures : []) as readonly Figure[],
);
const figureAt = computed(() => figures.value.findIndex((one) => one.name === props.chosen));
const figure = computed(() => figures.value[figureAt.value]);
const measures = computed(() => Object.entries((report.value.measures ?? {}) as Record<string, Partial<Measure>>));
const figureOptions = computed(() => figures.value.map(({ name, title }) => ({ value: name, label: title })));

const set = (path: (string | number)[], value: unknown) => (text.value = setAt(text.value, path, value));
const setInPage = (path: (string | number)[], value: unknown) => set(['pages', pageAt.value, ...path], value);
const setInFigure = (path: (string | number)[], value: unknown) =>
  setInPage(['figures', figureAt.value, ...path], value);
const valueOf = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value;

const side = (at: GridPlace, name: keyof GridPlace, value: string) =>
  Number(value) >= 1 && setInFigure(['at', name], Number(value));
const sides: Readonly<Record<keyof GridPlace, string>> = {
  column: 'Column',
  row: 'Row',
  width: 'Width (columns)',
  height: 'Height (rows)',
};
function setNarrow(names: readonly string[]): void {
  setInPage(['narrow'], names.length === 0 ? undefined : names);
}

const kindWords: Readonly<Record<Figure['kind'], string>> = {
  number: 'a number',
  bar: 'bars',
  line: 'a line',
  area: 'an area',
  scatter: 'points',
  table: 'a table',
  crosstab: 'a crosstab',
  text: 'words',
  picker: 'a picker',
};
const added = ref<Figure['kind'] | ''>('');
watch(added, (kind) => {
  if (kind === '') return;
  const known = new Set(figures.value.map((one) => one.name));
  let name: string = kind;
  for (let n = 2; known.has(name); n++) name = `${kind}-${n}`;
  const first = (list: 'column' | 'measure' | 'parameter') => props.names[list][0]?.label ?? '';
  const at = freePlace(figures.value, kind === 'number' || kind === 'picker' ? 3 : 6, kind === 'number' ? 2 : 6);
  const made = firstFigure(kind, name, {
    column: first('column'),
    measure: first('measure'),
    parameter: first('parameter'),
  });
  text.value = addTo(text.value, ['pages', pageAt.value, 'figures'], { ...made, at });
  added.value = '';
  emit('choose', name);
});
function remove(): void {
  setInPage(['figures', figureAt.value], undefined);
  const { narrow } = current.value ?? {};
  if (narrow?.includes(props.chosen!)) setNarrow(narrow.filter((one) => one !== props.chosen));
  emit('choose', undefined);
}
const formats = ['#,##0', '#,##0.0', '#,##0.00', '0 %', '0.0 %'];
</script>

<template>
  <p v-if="pages.length === 0" class="quiet">The form is available when the text is a valid report with a page.</p>
  <div v-else class="form">
    <section aria-labelledby="form-figure">
      <h2 id="form-figure">Figure</h2>
      <div class="line">
        <select
          class="plain"
          aria-label="Figure"
          :value="figure?.name ?? ''"
          @change="emit('choose', valueOf($event) || undefined)"
        >
          <option value="">select a figure</option>
          <option v-for="one in figureOptions" :key="one.value" :value="one.value">{{ one.label }}</option>
        </select>
        <select v-model="added" class="plain" aria-label="Add a figure">
          <option value="">add figure</option>
          <option v-for="kind in Object.keys(fieldsOf)" :key="kind" :value="kind">
            {{ kindWords[kind as Figure['kind']] }}
          </option>
        </select>
      </div>
      <template v-if="figure">
        <FigureFields :key="figure.name" :figure="{ ...figure }" :names="names" @set="setInFigure" />
        <div class="sides">
          <label v-for="(label, name) in sides" :key="name"
            >{{ label }}
            <input type="number" min="1" :value="figure.at?.[name]" @change="side(figure.at, name, valueOf($event))"
          /></label>
        </div>
        <p><Button size="small" danger @click="remove">Delete figure</Button></p>
      </template>
    </section>
    <section aria-labelledby="form-page">
      <h2 id="form-page">Page</h2>
      <div class="fields">
        <label
          >Page
          <select :value="current?.name" @change="emit('turn', valueOf($event))">
            <option v-for="one in pages" :key="one.name" :value="one.name">{{ one.title }}</option>
          </select>
        </label>
        <label>Title <input :value="current?.title" @change="setInPage(['title'], valueOf($event))" /></label>
      </div>
      <OrderedField
        label="On narrow screens: figures and order (default: all)"
        :options="figureOptions"
        :value="current?.narrow ?? []"
        :least="0"
        @update:value="setNarrow"
      />
    </section>
    <section aria-labelledby="form-report">
      <h2 id="form-report">Report</h2>
      <div class="fields">
        <label>Title <input :value="report.title" @change="set(['title'], valueOf($event))" /></label>
      </div>
      <div v-for="[name, measure] in measures" :key="name" class="fields measure">
        <label
          >Measure {{ name }} <input :value="measure.label" @change="set(['measures', name, 'label'], valueOf($event))"
        /></label>
        <label
          >Number format
          <input
            :value="measure.format ?? ''"
            list="number-formats"
            placeholder="as it comes"
            @change="set(['measures', name, 'format'], valueOf($event) || undefined)"
        /></label>
        <label
          >Unit
          <input :value="measure.unit ?? ''" @change="set(['measures', name, 'unit'], valueOf($event) || undefined)"
        /></label>
      </div>
      <datalist id="number-formats">
        <option v-for="one in formats" :key="one" :value="one" />
      </datalist>
    </section>
  </div>
</template>

<style scoped>
.form {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  padding: 0 1rem 0.8rem;
  max-height: 44rem;
  overflow-y: auto;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem;
  margin-bottom: 0.8rem;
}
.line select {
  max-width: 100%;
}
.sides {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  margin: 0.8rem 0;
}
.sides label {
  display: grid;
  gap: 0.2rem;
  width: 6rem;
}
.sides input {
  font: inherit;
  min-height: 30px;
  padding: 0 0.4rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
}
.measure {
  grid-template-columns: minmax(0, 2fr) minmax(0, 1fr) minmax(0, 1fr);
  margin-top: 0.5rem;
}
</style>
