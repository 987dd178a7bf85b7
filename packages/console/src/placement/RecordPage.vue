<script setup lang="ts">
import { Button, Spin } from 'ant-design-vue';
import { computed, reactive, ref, shallowRef, watch } from 'vue';
import type { ShownDataset } from '@underbell/core/dataset';
import type { ShownPlacement } from '@underbell/core/placement';
import type { RecordTry } from '@underbell/core/preview';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import Snippets from './Snippets.vue';
import { fixedTo, simpleOf, textOf, type Position } from './record.ts';
import RecordOutcome from './RecordOutcome.vue';

/**
 * A placement beside a record, tried in the three steps that people take: everything, one record fixed, then whichever record
 * is shown. The first never leaves this screen.
 */
const props = defineProps<{ name: string }>();
const path = () => `/api/v1/placements/${encodeURIComponent(props.name)}`;
const { data, error, reload } = useResource<ShownPlacement>(path);
const { busy, problem, attempt } = useAttempt<'save' | 'try'>();

const positions: readonly { readonly key: Position; readonly title: string; readonly about: string }[] = [
  { key: 'everything', title: '1  Everything', about: 'Preview only' },
  { key: 'fixed', title: '2  Fixed record', about: 'always this record' },
  { key: 'bound', title: '3  Record from the host', about: 'no data without a record' },
];
const position = ref<Position>('bound');
/** By dataset: what it is to be, bound to the record. */
const texts = reactive<Record<string, string>>({});
/** By dataset: whether it is written as text. */
const isWritten = reactive<Record<string, boolean>>({});
const halves = reactive<Record<string, { column: string; field: string }>>({});
const record = reactive<Record<string, string>>({});
const tried = shallowRef<RecordTry>();

interface ReportDatasets {
  readonly reports: readonly { readonly report: string; readonly datasets: readonly string[] }[];
}
const catalogue = useResource<ReportDatasets>('/api/v1/available-figures');
const datasets = computed(
  () =>
    catalogue.data.value?.reports.find((one) => one.report === data.value?.report)?.datasets ??
    Object.keys(data.value?.where ?? {}),
);
const columns = reactive<Record<string, readonly { name: string; label?: string }[]>>({});
watch(
  [data, datasets],
  ([found, names]) => {
    if (!found) return;
    for (const name of names) {
      const text = found.where[name] ?? '';
      texts[name] = text;
      const half = simpleOf(text);
      isWritten[name] = text !== '' && half === undefined;
      halves[name] = half ? { ...half } : { column: '', field: '' };
      // Who may not see the dataset itself writes the column's name.
      void call<ShownDataset>('GET', `/api/v1/datasets/${encodeURIComponent(name)}`).then(
        (shown) => (columns[name] = shown.columns),
        () => undefined,
      );
    }
  },
  { immediate: true },
);
function bind(dataset: string): void {
  texts[dataset] = textOf(halves[dataset]!);
}

const bound = computed(() => Object.fromEntries(Object.entries(texts).filter(([, text]) => text.trim() !== '')));
/** Fields of the record, by what is written: also before the service has looked at it. */
const fields = computed(() => [
  ...new Set(
    Object.values(bound.value).flatMap((text) =>
      [...text.matchAll(/record\('((?:[^']|'')+)'\)/g)].map((one) => one[1]!.replaceAll("''", "'")),
    ),
  ),
]);
const wanted = computed(() => {
  if (position.value === 'everything') return {};
  if (position.value === 'bound') return bound.value;
  return fixedTo(bound.value, known.value, record);
});
const known = computed(() => data.value?.beside?.fields ?? tried.value?.fields ?? []);
const isSaved = computed(() => JSON.stringify(wanted.value) === JSON.stringify(data.value?.where));

/** Values to pick a sample from, of those that one may see. */
const offered = reactive<Record<string, readonly string[]>>({});
async function offer(field: string): Promise<void> {
  const column = tried.value?.fields.find((one) => one.name === field)?.column;
  const report = data.value?.report;
  if (column === undefined || report === undefined) return;
  const body = { column, starts: record[field] ?? '', ...(data.value?.page ? { page: data.value.page } : {}) };
  const path = `/api/v1/reports/${encodeURIComponent(report)}/filter-suggestions`;
  // Without a list the value is typed.
  const found = await call<{ values: string[] }>('POST', path, body).catch(() => undefined);
  if (found) offered[field] = found.values;
}

/** What is asked, as it would be saved. */
const body = computed(() => {
  if (!data.value) return undefined;
  const { kind, title, report, board, page, figure, firstPage, edition, origins, parameters, look, swaps } = data.value;
  return { kind, title, report, board, page, figure, firstPage, edition, origins, parameters, look, swaps };
});
let timer = 0;
let turn = 0;
async function tryIt(): Promise<void> {
  const mine = ++turn;
  await attempt('try', async () => {
    const sample = Object.fromEntries(fields.value.map((name) => [name, record[name] ?? '']));
    const ask = { ...body.value, name: props.name, where: wanted.value, record: sample };
    const found = await call<RecordTry>('POST', '/api/v1/placements/test', ask);
    if (mine === turn) tried.value = found;
  });
}
const pauseMs = 350;
watch([body, wanted, () => JSON.stringify(record)], () => {
  window.clearTimeout(timer);
  if (body.value) timer = window.setTimeout(() => void tryIt(), pauseMs);
});
const save = () =>
  attempt('save', async () => {
    await call('PUT', path(), { ...body.value, where: wanted.value });
    await reload();
  });
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/placements">Placements</RouterLink>
    <RouterLink :to="`/placements/${name}`">{{ data?.title ?? name }}</RouterLink>
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!data" />
  <template v-else>
    <h1>Test with a record</h1>
    <div class="steps" role="radiogroup" aria-label="Source of the value">
      <label v-for="one in positions" :key="one.key" :class="{ chosen: position === one.key }">
        <input v-model="position" type="radio" :value="one.key" />
        <b>{{ one.title }}</b> <span class="quiet">{{ one.about }}</span>
      </label>
    </div>
    <div class="both">
      <section aria-label="Filter">
        <template v-for="one in datasets" :key="one">
          <h2>
            {{ one }}
            <Button v-if="!isWritten[one]" size="small" type="link" @click="isWritten[one] = true">edit as text</Button>
          </h2>
          <label v-if="isWritten[one]" class="text"
            >Filter
            <textarea v-model="texts[one]" rows="2" spellcheck="false" placeholder="quay_id = record('quay')" />
          </label>
          <div v-else-if="halves[one]" class="fields">
            <label
              >Column
              <input v-model="halves[one].column" :list="`columns-${one}`" spellcheck="false" @input="bind(one)" />
            </label>
            <label
              >equals record field
              <input v-model="halves[one].field" placeholder="quay" spellcheck="false" @input="bind(one)" />
            </label>
            <datalist :id="`columns-${one}`">
              <option v-for="column in columns[one] ?? []" :key="column.name" :value="column.name">
                {{ column.label ?? column.name }}
              </option>
            </datalist>
          </div>
        </template>
        <h2>Sample record</h2>
        <p v-if="fields.length === 0" class="quiet">No filter uses a record field yet.</p>
        <div v-else class="fields">
          <label v-for="one in fields" :key="one"
            >{{ one }}
            <input
              v-model="record[one]"
              :list="`values-${one}`"
              placeholder="value from the host"
              spellcheck="false"
              @focus="offer(one)"
              @input="offer(one)"
            />
          </label>
          <datalist v-for="one in fields" :id="`values-${one}`" :key="`values ${one}`">
            <option v-for="value in offered[one] ?? []" :key="value" :value="value" />
          </datalist>
        </div>
        <p class="more">
          <Button
            type="primary"
            :disabled="position === 'everything' || isSaved || fields.length === 0"
            :loading="busy === 'save'"
            @click="save"
            >{{ position === 'fixed' ? 'Save for this record' : 'Save' }}</Button
          >
          <span v-if="position === 'everything'" class="quiet">All rows are shown here only; this is never saved.</span>
          <span v-else-if="isSaved" class="quiet">Saved.</span>
        </p>
        <template v-if="data.beside">
          <h2>Snippets</h2>
          <p v-if="!isSaved" class="quiet">Saved version; your changes are not included yet.</p>
          <Snippets :lines="data.beside.lines" />
        </template>
      </section>
      <section aria-label="Preview" :aria-busy="busy === 'try'">
        <ProblemNote v-if="problem" :problem="problem" />
        <RecordOutcome
          v-else-if="tried"
          :tried="tried"
          :title="data.title"
          @take="(field, value) => (record[field] = value)"
        />
        <Spin v-else />
      </section>
    </div>
  </template>
</template>

<style scoped>
.steps {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(15rem, 1fr));
  gap: 0.6rem;
}
.steps label {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 0.6rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  padding: 0.5rem 0.8rem;
  cursor: pointer;
}
.steps .chosen {
  border-color: var(--sea);
  box-shadow: inset 0 0 0 1px var(--sea);
}
.steps span {
  grid-column: 2;
}
.both {
  display: grid;
  grid-template-columns: minmax(0, 24rem) minmax(0, 1fr);
  gap: 0 2rem;
  align-items: start;
}
.text {
  display: grid;
  gap: 0.2rem;
}
textarea {
  font: inherit;
  padding: 0.3rem 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
section:last-child {
  padding-top: 1.6rem;
}
@media (max-width: 60rem) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
