<script setup lang="ts">
import { Button, Checkbox } from 'ant-design-vue';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { DatasetColumn, ShownDataset } from '@underbell/core/dataset';
import type { Figure, GridPlace, ShownReport } from '@underbell/core/report';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { datasetsIn, namesIn } from './completeNames.ts';
import { keepDraft, keptDraft, kindOf, textOf, type DraftFile } from './draftFiles.ts';
import { moveFigures } from './definitionEdits.ts';
import JsonEditor from './JsonEditor.vue';
import PreviewPane from './PreviewPane.vue';
import ReportForm from './ReportForm.vue';
import FileDrop from './FileDrop.vue';
import { usePreview, type DrawnWidth } from './usePreview.ts';

/** Definitions are written or dropped, checked and drawn as they are, and published. */
const props = defineProps<{ name?: string }>();
const router = useRouter();
const { busy, problem: failed, attempt } = useAttempt<'publish'>();
const files = ref<DraftFile[]>([]);
const at = ref(0);
const text = ref('');
const notes = ref('');
const isConfirmed = ref(false);
const said = ref('');
const current = computed(() => files.value[at.value]);
const kind = computed(() => kindOf(text.value));
const draftKey = computed(() => current.value?.key ?? 'new');

const datasets = useResource<{ datasets: { name: string; title: string }[] }>('/api/v1/datasets');
const reportSchema = useResource<object>('/schemas/underbell-report-1.json');
const boardSchema = useResource<object>('/schemas/underbell-board-1.json');
const schema = computed(() => (kind.value === 'board' ? boardSchema.data.value : reportSchema.data.value));

const published = useResource<ShownReport>(() =>
  props.name === undefined ? undefined : `/api/v1/reports/${encodeURIComponent(props.name)}`,
);
watch(published.data, (found) => {
  if (!found || files.value.length > 0) return;
  take([
    {
      key: `report ${found.name}`,
      label: found.title,
      text: textOf(found.definition),
      changed: Math.max(...found.editions.map((one) => one.number)),
    },
  ]);
});

/** Takes definitions up; what was left unfinished under the same key goes on. */
function take(found: readonly DraftFile[]): void {
  if (found.length === 0) return void (said.value = 'No JSON files found.');
  said.value = '';
  files.value = [...found];
  show(0);
}
function show(index: number): void {
  at.value = index;
  const file = files.value[index]!;
  const kept = keptDraft(file.key);
  text.value = kept ?? file.text;
  if (kept !== null && kept !== file.text) said.value = 'Draft restored.';
}
function forget(): void {
  keepDraft(draftKey.value, undefined);
  said.value = '';
  if (current.value) text.value = current.value.text;
}
const as = ref('');
const page = ref('');
/** View: in a form, or as text; both change the same text. */
const way = ref<'form' | 'text'>('text');
const width = ref<DrawnWidth>(1280);
const isPrinted = computed(() => width.value === 'print');
const chosen = ref<string>();
function choose(name: string | undefined): void {
  chosen.value = name;
}
/** What is written, as it was when it was JSON last. */
const written = computed<unknown>((before) => {
  try {
    return JSON.parse(text.value) as unknown;
  } catch {
    return before;
  }
});
const pageNames = computed(() => {
  const { pages } = (written.value ?? {}) as { pages?: { name: string; title: string }[] };
  return Array.isArray(pages) ? pages : [];
});
/** The page that is drawn: the first while none of that name is written. */
const shownPage = computed(() => (pageNames.value.some((one) => one.name === page.value) ? page.value : undefined));
const pageAt = computed(() =>
  Math.max(
    0,
    pageNames.value.findIndex((one) => one.name === page.value),
  ),
);
/** Figures of the page as they are written, as far as they can be moved. */
const figures = computed(() => {
  const one = pageNames.value[pageAt.value] as { figures?: Figure[] } | undefined;
  const all = Array.isArray(one?.figures) ? one.figures : [];
  return all.every(({ at }) => at && Object.values(at).every(Number.isInteger)) ? all : [];
});
const move = (places: { name: string; at: GridPlace }[]) =>
  (text.value = moveFigures(text.value, pageAt.value, figures.value, places));
const columns = shallowRef<readonly DatasetColumn[]>([]);
const usedDatasets = computed(() => {
  const known = new Set(datasets.data.value?.datasets.map((one) => one.name));
  return datasetsIn(written.value)
    .filter((one) => known.has(one))
    .join(' ');
});
watch(usedDatasets, async (list, _before, onCleanup) => {
  let isLate = false;
  onCleanup(() => (isLate = true));
  const found = await Promise.allSettled(
    list
      .split(' ')
      .filter(Boolean)
      .map((one) => call<ShownDataset>('GET', `/api/v1/datasets/${encodeURIComponent(one)}`)),
  );
  // A dataset that went away meanwhile offers nothing; what is wrong about it says the check.
  if (!isLate) columns.value = found.flatMap((one) => (one.status === 'fulfilled' ? one.value.columns : []));
});
const names = computed(() => namesIn(written.value, datasets.data.value?.datasets ?? [], columns.value));
const { wrong, drawn, withheld, printed, breaks } = usePreview({ text, kind, as, page: shownPage, isPrinted });
watch(text, () => {
  if (text.value.trim() === '') return;
  keepDraft(draftKey.value, text.value === current.value?.text ? undefined : text.value);
});

const publish = () =>
  attempt('publish', async () => {
    const definition = JSON.parse(text.value) as { name: string };
    if (kind.value === 'board') await call('PUT', '/api/v1/boards', { definition });
    else {
      const { changed } = current.value ?? {};
      const body = { definition, notes: notes.value, isConfirmed: isConfirmed.value };
      await call('POST', '/api/v1/reports', { ...body, ...(changed === undefined ? {} : { changed }) });
    }
    keepDraft(draftKey.value, undefined);
    const rest = files.value.filter((_, i) => i !== at.value);
    if (rest.length === 0) return void (await router.push(`/${kind.value}s/${definition.name}`));
    said.value = `“${definition.name}” published.`;
    files.value = rest;
    show(Math.min(at.value, rest.length - 1));
  });
/** The form goes with the picture in which figures are moved. */
function turnWay(to: 'form' | 'text'): void {
  way.value = to;
  if (to === 'form') width.value = 'arrange';
  else if (width.value === 'arrange') width.value = 1280;
}
const userLink = (user: string) => {
  const [what, name] = user.split(' ') as [string, string];
  return { placement: `/placements/${name}`, board: `/boards/${name}`, burst: `/bursts/${name}` }[what];
};
</script>

<template>
  <p class="crumbs"><RouterLink to="/reports">Reports</RouterLink></p>
  <h1>{{ name === undefined ? 'Publish' : `Edit ${published.data.value?.title ?? name}` }}</h1>
  <ProblemNote v-if="published.error.value" :problem="published.error.value" />
  <FileDrop v-if="name === undefined" :datasets="datasets.data.value?.datasets ?? []" @take="take" />
  <p v-if="said" role="status">{{ said }} <Button size="small" @click="forget">Start over</Button></p>
  <nav v-if="files.length > 1" class="files" aria-label="Files">
    <button v-for="(one, i) in files" :key="one.key" type="button" :aria-current="i === at" @click="show(i)">
      {{ one.label }}
    </button>
  </nav>
  <div class="sides">
    <section aria-label="Definition">
      <p v-if="kind !== 'board'" class="widths" role="group" aria-label="View">
        <button
          v-for="one in ['form', 'text'] as const"
          :key="one"
          type="button"
          :aria-pressed="way === one"
          @click="turnWay(one)"
        >
          {{ one === 'form' ? 'Form' : 'Text' }}
        </button>
        <span class="quiet">Form and text edit the same definition.</span>
      </p>
      <ReportForm
        v-if="way === 'form' && kind !== 'board'"
        v-model="text"
        :written="written"
        :names="names"
        :page="page"
        :chosen="chosen"
        @choose="choose"
        @turn="page = $event"
      />
      <JsonEditor v-else v-model="text" :schema="schema" :problem="wrong" :names="names" />
      <ProblemNote v-if="wrong" :problem="wrong" :names="names" />
      <p v-else-if="kind === 'board' && text !== ''" role="status">No errors.</p>
      <div v-if="breaks.length > 0" class="breaks" role="status">
        <p>Affected items:</p>
        <ul>
          <li v-for="one in breaks" :key="one.user">
            <RouterLink v-if="userLink(one.user)" :to="userLink(one.user)!">{{ one.user }}</RouterLink><template
              v-else
              >{{ one.user }}</template
            >: {{ one.what }}
          </li>
        </ul>
      </div>
      <form class="publish" @submit.prevent="publish">
        <label v-if="kind !== 'board'"
          >Release notes <input v-model="notes" maxlength="2000" placeholder="shown in the edition list"
        /></label>
        <Checkbox v-if="breaks.length > 0" v-model:checked="isConfirmed">Publish anyway</Checkbox>
        <ProblemNote v-if="failed" :problem="failed" />
        <Button
          type="primary"
          html-type="submit"
          :loading="busy === 'publish'"
          :disabled="wrong !== undefined || kind === undefined || (breaks.length > 0 && !isConfirmed)"
          >Publish</Button
        >
      </form>
    </section>
    <PreviewPane
      v-model:as="as"
      v-model:page="page"
      v-model:width="width"
      :kind="kind"
      :pages="pageNames"
      :figures="figures"
      :preview="{ wrong, drawn, withheld, printed }"
      :chosen="chosen"
      @move="move"
      @choose="choose"
    />
  </div>
</template>

<style scoped>
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem;
  margin-bottom: 0.6rem;
}
.files button,
.widths button {
  font: inherit;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.15rem 0.6rem;
  cursor: pointer;
}
.files button[aria-current='true'],
.widths button[aria-pressed='true'] {
  border-color: var(--brass);
  font-weight: 600;
}
.widths {
  display: flex;
  gap: 0.3rem;
  align-items: center;
}
.sides {
  display: grid;
  grid-template-columns: minmax(0, 5fr) minmax(0, 6fr);
  gap: 1.2rem;
}
.publish {
  display: grid;
  gap: 0.7rem;
  justify-items: start;
  margin-top: 0.8rem;
}
.publish label {
  display: grid;
  gap: 0.2rem;
  width: 100%;
}
.publish input:not([type='checkbox']) {
  font: inherit;
  min-height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
.breaks {
  border-left: 3px solid var(--signal);
  padding-left: 0.8rem;
  margin-top: 0.8rem;
}
.breaks p,
.breaks ul {
  margin: 0;
}
@media (max-width: 60rem) {
  .sides {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
