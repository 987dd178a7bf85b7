<script setup lang="ts">
import { computed, nextTick, ref } from 'vue';
import { drillLevels } from '@underbell/core/report';
import type { FigureResult } from '@underbell/core/report';
import PopMenu, { type MenuItem } from '../view/PopMenu.vue';
import type { ViewedFigure, ViewResponse } from '@underbell/core/view';
import { handedOver, offerKey } from '../session/receivedToken.ts';
import { useViewing } from '../view/viewing.ts';
import FigureBody from './FigureBody.vue';
import { saveFile } from './saveFile.ts';

const props = defineProps<{
  figure: ViewedFigure;
  answer: ViewResponse;
  result?: FigureResult;
  picked: readonly string[];
}>();
const emit = defineEmits<{ pick: [value: string, isAdding: boolean] }>();

const viewing = useViewing();
/** What is shown large: the figure itself, or the rows that it is drawn from. */
const large = ref<'figure' | 'rows'>();
const isDrilling = ref(false);
const dialog = ref<HTMLDialogElement>();
const trouble = ref('');

const place = computed(() => {
  const { column, row, width, height } = props.figure.at;
  return { '--column': column, '--row': row, '--width': width, '--height': height, '--half': width <= 3 ? 3 : 6 };
});
const isChart = computed(() => ['bar', 'line', 'area', 'scatter'].includes(props.figure.kind));
const hasRows = computed(() => (props.result?.rows.length ?? 0) > 0 && !props.result?.refused);
const levels = computed(() => drillLevels(props.figure));
const path = computed(() => props.result?.path ?? []);
const mayDrill = computed(
  () => viewing !== undefined && !props.figure.from && path.value.length < levels.value.length - 1,
);

async function enlarge(what: 'figure' | 'rows'): Promise<void> {
  large.value = what;
  await nextTick();
  dialog.value?.showModal();
}
async function take(format: string): Promise<void> {
  trouble.value = '';
  try {
    saveFile(await viewing!.api.file(viewing!.question.value, { figure: props.figure.name, format }));
  } catch (error) {
    trouble.value = error instanceof Error ? error.message : String(error);
  }
}
const formats = {
  csv: 'Export as CSV',
  xlsx: 'Export as workbook (.xlsx)',
  png: 'Export as image',
  pdf: 'Export as PDF',
} as const;
const mayEnlarge = computed(() => hasRows.value && !['number', 'text', 'picker'].includes(props.figure.kind));
const savings = computed((): MenuItem[] => {
  const mayTake = props.answer.mayExport === true && viewing && !props.figure.from;
  if (!mayTake || !hasRows.value || ['text', 'picker'].includes(props.figure.kind)) return [];
  return Object.entries(formats).map(([format, words]) => ({ label: words, act: () => void take(format) }));
});
const largeTitle = computed(() => (large.value === 'rows' ? `${props.figure.title}, rows` : props.figure.title));
function onPick(value: string, isAdding: boolean): void {
  const { from } = props.figure;
  if (from) return;
  if (!isDrilling.value) return emit('pick', value, isAdding);
  viewing?.drill(props.figure.name, [...path.value.map((one) => one.value), value]);
  if (path.value.length + 2 >= levels.value.length) isDrilling.value = false;
}
const backTo = (depth: number) =>
  viewing?.drill(
    props.figure.name,
    path.value.slice(0, depth).map((one) => one.value),
  );
/** A board's figure leads to the page that it comes from; within a host's page, beside that rather than in its place. */
const source = computed(() => {
  const { from } = props.figure;
  return from
    ? `/r/${from.report}?page=${from.page}${props.answer.own ? `&where=${encodeURIComponent(props.answer.own)}` : ''}`
    : undefined;
});
const sourceTarget = window.parent === window ? '_top' : '_blank';
/** Whoever is known here by a key is known there, too. */
function openSource(event: MouseEvent): void {
  const key = () => viewing?.api.access?.token;
  if (sourceTarget !== '_blank' || key() === undefined) return;
  event.preventDefault();
  offerKey(window.open(handedOver(`${window.location.origin}${source.value!}`), '_blank'), key);
}
const linked = computed(() => {
  const { link } = props.figure as { link?: { page: string } };
  return link && viewing ? props.answer.pages.find((one) => one.name === link.page) : undefined;
});
</script>

<template>
  <section class="figure" :class="figure.kind" :style="place" :aria-label="figure.title">
    <header>
      <h2>
        <a v-if="source" :href="source" :target="sourceTarget" rel="noopener" @click="openSource">{{ figure.title }}</a>
        <template v-else>{{ figure.title }}</template>
      </h2>
      <span class="acts no-print">
        <button v-if="mayEnlarge" type="button" :aria-label="`Enlarge ${figure.title}`" @click="enlarge('figure')">
          Enlarge
        </button>
        <button
          v-if="mayEnlarge && isChart"
          type="button"
          :aria-label="`Rows of ${figure.title}`"
          @click="enlarge('rows')"
        >
          Rows
        </button>
        <PopMenu v-if="savings.length > 0" word="Export" :label="`Export ${figure.title}`" :items="savings" />
      </span>
    </header>
    <p v-if="'note' in figure && figure.note" class="note">{{ figure.note }}</p>
    <fieldset v-if="mayDrill && hasRows" class="way no-print">
      <legend>On click</legend>
      <label><input v-model="isDrilling" type="radio" :name="`way ${figure.name}`" :value="false" /> filter</label>
      <label><input v-model="isDrilling" type="radio" :name="`way ${figure.name}`" :value="true" /> drill down</label>
    </fieldset>
    <nav v-if="path.length > 0" class="path" :aria-label="`Drill path of ${figure.title}`">
      <button type="button" @click="backTo(0)">All</button>
      <template v-for="(step, index) in path" :key="index">
        <span aria-hidden="true">›</span>
        <button v-if="index < path.length - 1" type="button" @click="backTo(index + 1)">{{ step.value }}</button>
        <span v-else aria-current="step">{{ step.value }}</span>
      </template>
    </nav>
    <FigureBody :figure="figure" :answer="answer" :result="result" :picked="picked" :is-table="false" @pick="onPick" />
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <button v-if="linked" type="button" class="link no-print" @click="viewing?.turnTo(linked.name, true)">
      {{ linked.title }} →
    </button>
    <dialog v-if="large" ref="dialog" :aria-label="largeTitle" @close="large = undefined">
      <header>
        <h2>{{ largeTitle }}</h2>
        <button type="button" class="close" @click="dialog?.close()">Close</button>
      </header>
      <FigureBody
        :figure="figure"
        :answer="answer"
        :result="result"
        :picked="picked"
        :is-table="large === 'rows'"
        @pick="onPick"
      />
    </dialog>
  </section>
</template>

<style scoped>
.figure {
  grid-column: var(--column) / span var(--width);
  grid-row: var(--row) / span var(--height);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.6rem 0.9rem 0.7rem;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  position: relative;
}
header {
  display: flex;
  align-items: flex-start;
  gap: 0.4rem;
}
h2 {
  flex: 1;
  min-width: 0;
  margin: 0;
  font-size: 1rem;
  font-weight: 600;
  overflow: hidden;
  text-overflow: ellipsis;
}
h2 a {
  color: inherit;
  text-decoration-color: var(--line);
  text-underline-offset: 3px;
}
/* The lowest has room for its title, the number and a line beside it. */
.figure.number {
  padding-block: 0.4rem;
}
.number h2 {
  font-weight: 400;
  color: var(--quiet);
  font-size: 0.9375rem;
}
.note {
  margin: 0.1rem 0 0.2rem;
  color: var(--quiet);
  font-size: 0.875rem;
}
.acts {
  display: inline-flex;
  gap: 0.6rem;
  align-items: center;
}
.acts > button {
  border: 0;
  background: none;
  color: var(--sea);
  font-size: 0.8125rem;
  padding: 0;
  min-height: 24px;
}
.acts > button:hover {
  text-decoration: underline;
}
.way {
  display: flex;
  gap: 0.3rem 0.7rem;
  align-items: center;
  border: 0;
  margin: 0.1rem 0 0;
  padding: 0;
  font-size: 0.8125rem;
  color: var(--quiet);
}
.way legend {
  float: left;
  padding: 0;
}
.way label {
  display: inline-flex;
  gap: 0.25rem;
  align-items: center;
  min-height: 24px;
}
.way input {
  margin: 0;
  accent-color: var(--sea);
}
.path {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem;
  font-size: 0.875rem;
}
.path button,
.link {
  border: 0;
  background: none;
  color: var(--sea);
  padding: 0;
  min-height: 24px;
}
.link {
  align-self: flex-end;
  font-size: 0.875rem;
}
.trouble {
  color: var(--signal);
  margin: 0.2rem 0 0;
  font-size: 0.875rem;
}
dialog {
  width: 94vw;
  height: 92vh;
  max-width: none;
  max-height: none;
  background: var(--raised);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 1rem 1.2rem;
}
dialog[open] {
  display: flex;
  flex-direction: column;
}
dialog::backdrop {
  background: rgb(0 0 0 / 45%);
}
.close {
  border: 1px solid var(--sea);
  background: none;
  color: var(--sea);
  border-radius: 3px;
  padding: 0.2rem 0.8rem;
}
@container page (max-width: 900px) {
  .figure {
    grid-column: span var(--half);
    grid-row: auto / span var(--height);
  }
}
@container page (max-width: 560px) {
  .figure {
    grid-column: 1 / -1;
  }
  /* Words need more lines where lines are short. */
  .figure.text,
  .figure.picker {
    grid-row: auto / span calc(var(--height) + 2);
  }
}
</style>
