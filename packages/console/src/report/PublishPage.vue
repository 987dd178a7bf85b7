<script setup lang="ts">
import { Button, Checkbox } from 'ant-design-vue';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { ShownPerson } from '@underbell/core/access';
import type { DatasetColumn, ShownDataset } from '@underbell/core/dataset';
import type { ProblemDocument } from '@underbell/core/refusal';
import type { CheckedReport, Figure, GridPlace, ListedReport, ShownReport } from '@underbell/core/report';
import type { ViewAnswer } from '@underbell/core/view';
import type { SeenReport } from '@underbell/core/see';
import { ApiProblem, call, download } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import ArrangeGrid from '../see/ArrangeGrid.vue';
import SeenPage from '../see/SeenPage.vue';
import { datasetsIn, namesIn } from './completeNames.ts';
import { keepDraft, keptDraft, kindOf, readDropped, readFiles, textOf, type DraftFile } from './draftFiles.ts';
import { moveFigures } from './definitionEdits.ts';
import JsonEditor from './JsonEditor.vue';
import ReportForm from './ReportForm.vue';

/** Definitions are written or dropped, checked and drawn as they are, and published. */
const props = defineProps<{ name?: string }>();
const router = useRouter();
const { busy, problem: failed, attempt } = useAttempt<'publish' | 'start'>();
const files = ref<DraftFile[]>([]);
const at = ref(0);
const text = ref('');
const notes = ref('');
const isConfirmed = ref(false);
const said = ref('');
const current = computed(() => files.value[at.value]);
const kind = computed(() => kindOf(text.value));
const draftKey = computed(() => current.value?.key ?? 'new');

const people = useResource<{ people: (ShownPerson & { state: string })[] }>('/api/v1/people');
const datasets = useResource<{ datasets: { name: string; title: string }[] }>('/api/v1/datasets');
const reports = useResource<{ reports: ListedReport[] }>('/api/v1/reports');
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
  if (found.length === 0) return void (said.value = 'There is no JSON file among these.');
  said.value = '';
  files.value = [...found];
  show(0);
}
function show(index: number): void {
  at.value = index;
  const file = files.value[index]!;
  const kept = keptDraft(file.key);
  text.value = kept ?? file.text;
  if (kept !== null && kept !== file.text) said.value = 'This goes on from where you left it.';
}
function forget(): void {
  keepDraft(draftKey.value, undefined);
  said.value = '';
  if (current.value) text.value = current.value.text;
}
async function drop(event: DragEvent): Promise<void> {
  if (event.dataTransfer) take(await readDropped(event.dataTransfer.items));
}
async function pick(event: Event): Promise<void> {
  take(await readFiles([...((event.target as HTMLInputElement).files ?? [])]));
}
const startFrom = (what: string) =>
  attempt('start', async () => {
    const [from, name] = what.split(' ') as [string, string];
    const definition =
      from === 'dataset'
        ? await call<object>('GET', `/api/v1/datasets/${encodeURIComponent(name)}/first-report`)
        : (await call<ShownReport>('GET', `/api/v1/reports/${encodeURIComponent(name)}`)).definition;
    const own = from === 'dataset' ? definition : { ...definition, name: `${name}-2` };
    take([{ key: `start ${what}`, label: `from ${what}`, text: textOf(own) }]);
  });

const wrong = shallowRef<ProblemDocument>();
const drawn = shallowRef<ViewAnswer>();
/** Why figures are not shown. */
const withheld = ref<string>();
/** Where the printed page lies in this browser. */
const printed = ref('');
async function print(turn: number, body: object): Promise<void> {
  const file = await download('POST', '/api/v1/reports/preview/print', body);
  if (turn !== newest) return;
  URL.revokeObjectURL(printed.value);
  printed.value = URL.createObjectURL(file);
}
onBeforeUnmount(() => URL.revokeObjectURL(printed.value));
const breaks = shallowRef<NonNullable<CheckedReport['breaks']>>([]);
const as = ref('');
const page = ref('');
/** How it is written: in a form, or as text; both change the same text. */
const way = ref<'form' | 'text'>('text');
/** Pixels, or how else it is drawn. */
const width = ref<number | 'arrange' | 'print'>(1280);
const widths = [1280, 768, 400, 280] as const;
const pixels = computed(() => (typeof width.value === 'number' ? width.value : 1280));
const chosen = ref<string>();
function choose(name: string | undefined): void {
  chosen.value = name;
}
const pane = ref<HTMLElement>();
const paneWidth = ref<number>();
/** Wide pages are drawn smaller rather than cut off at the pane's edge. */
const scale = computed(() => Math.min(1, (paneWidth.value ?? pixels.value) / pixels.value));
const paneWatcher = new ResizeObserver(([entry]) => {
  if (entry) paneWidth.value = Math.floor(entry.contentRect.width);
});
watch(pane, (element) => element && paneWatcher.observe(element), { flush: 'post' });
onBeforeUnmount(() => paneWatcher.disconnect());
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
const titles = computed(() => Object.fromEntries(figures.value.map((one) => [one.name, one.title])));
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
/** Writing goes on for so long before it is looked at. */
const pauseMs = 300;
let newest = 0;
let timer = 0;
async function look(): Promise<void> {
  const turn = ++newest;
  let definition: unknown;
  try {
    definition = JSON.parse(text.value);
  } catch {
    // The editor says where the text is no JSON.
    return;
  }
  try {
    if (kind.value === 'board') {
      const body = { definition, ...(as.value === '' ? {} : { as: as.value }) };
      const view = await call<ViewAnswer>('POST', '/api/v1/boards/preview', body);
      if (turn !== newest) return;
      drawn.value = view;
      withheld.value = undefined;
      breaks.value = [];
    } else {
      const shown = pageNames.value.some((one) => one.name === page.value) ? { page: page.value } : {};
      const body = { definition, ...shown, ...(as.value === '' ? {} : { as: as.value }) };
      const [found, checked] = await Promise.all([
        call<SeenReport>('POST', '/api/v1/reports/preview', body),
        call<CheckedReport>('POST', '/api/v1/reports/check', definition as object),
      ]);
      if (turn !== newest) return;
      drawn.value = found.view;
      withheld.value = found.withheld;
      breaks.value = checked.breaks ?? [];
      if (width.value === 'print') await print(turn, body);
    }
    wrong.value = undefined;
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error;
    if (turn === newest) wrong.value = error.document;
  }
}
watch([text, as, page, () => width.value === 'print'], () => {
  window.clearTimeout(timer);
  if (text.value.trim() === '') return;
  if (text.value === current.value?.text) keepDraft(draftKey.value, undefined);
  else keepDraft(draftKey.value, text.value);
  timer = window.setTimeout(() => void look(), pauseMs);
});
onBeforeUnmount(() => window.clearTimeout(timer));

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
    said.value = `${definition.name} is published.`;
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
  return { placement: `/places/${name}`, board: `/boards/${name}`, burst: `/sending/${name}` }[what];
};
</script>

<template>
  <p class="crumbs"><RouterLink to="/reports">Reports</RouterLink></p>
  <h1>{{ name === undefined ? 'Publish' : `Change ${published.data.value?.title ?? name}` }}</h1>
  <ProblemNote v-if="published.error.value" :problem="published.error.value" />
  <div v-if="name === undefined" class="drop" @dragover.prevent @drop.prevent="drop">
    <p>Drop files of reports and boards here, or a folder of them.</p>
    <div class="starts">
      <label class="file"
        >Choose files
        <input type="file" accept=".json,application/json" multiple aria-label="Choose files" @change="pick"
      /></label>
      <label
        >Start from
        <select
          class="plain"
          :value="''"
          :disabled="busy === 'start'"
          @change="(event) => startFrom((event.target as HTMLSelectElement).value)"
        >
          <option value="" disabled>a dataset or another report …</option>
          <optgroup label="Datasets">
            <option v-for="one in datasets.data.value?.datasets ?? []" :key="one.name" :value="`dataset ${one.name}`">
              {{ one.title }}
            </option>
          </optgroup>
          <optgroup label="Reports">
            <option v-for="one in reports.data.value?.reports ?? []" :key="one.name" :value="`report ${one.name}`">
              {{ one.title }}
            </option>
          </optgroup>
        </select>
      </label>
    </div>
  </div>
  <p v-if="said" role="status">{{ said }} <Button size="small" @click="forget">Begin anew</Button></p>
  <nav v-if="files.length > 1" class="files" aria-label="Files">
    <button v-for="(one, i) in files" :key="one.key" type="button" :aria-current="i === at" @click="show(i)">
      {{ one.label }}
    </button>
  </nav>
  <div class="sides">
    <section aria-label="Definition">
      <p v-if="kind !== 'board'" class="widths" role="group" aria-label="How it is written">
        <button
          v-for="one in ['form', 'text'] as const"
          :key="one"
          type="button"
          :aria-pressed="way === one"
          @click="turnWay(one)"
        >
          {{ one === 'form' ? 'Form' : 'Text' }}
        </button>
        <span class="quiet">Both change the same text.</span>
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
      <p v-else-if="kind === 'board' && text !== ''" role="status">The board is fine.</p>
      <div v-if="breaks.length > 0" class="breaks" role="status">
        <p>Publishing this breaks:</p>
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
          >What is new <input v-model="notes" maxlength="2000" placeholder="for those who look at its editions"
        /></label>
        <Checkbox v-if="breaks.length > 0" v-model:checked="isConfirmed">Publish it all the same</Checkbox>
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
    <section aria-label="As it is drawn" class="drawn">
      <div class="how">
        <label
          >As
          <select v-model="as" class="plain">
            <option value="">you see it</option>
            <option v-for="one in people.data.value?.people ?? []" :key="one.email" :value="one.email">
              {{ one.name }} would
            </option>
          </select>
        </label>
        <label v-if="pageNames.length > 1"
          >Page
          <select v-model="page" class="plain">
            <option value="">the first</option>
            <option v-for="one in pageNames" :key="one.name" :value="one.name">{{ one.title }}</option>
          </select>
        </label>
        <span class="widths" role="group" aria-label="Width in pixels">
          <button v-for="one in widths" :key="one" type="button" :aria-pressed="width === one" @click="width = one">
            {{ one }}
          </button>
          <template v-if="kind !== 'board'">
            <button type="button" :aria-pressed="width === 'print'" @click="width = 'print'">Print</button>
            <button type="button" :aria-pressed="width === 'arrange'" @click="width = 'arrange'">Arrange</button>
          </template>
          <span v-if="typeof width === 'number' && scale < 1" class="quiet">at {{ Math.round(scale * 100) }} %</span>
        </span>
      </div>
      <p v-if="wrong && drawn" class="quiet">This is how it was drawn before the mistake.</p>
      <p v-if="withheld" class="quiet">{{ withheld }}</p>
      <template v-if="width === 'print'">
        <iframe v-if="printed" class="paper" :src="printed" title="The page as it is printed" />
        <p v-if="printed" class="quiet"><a :href="printed" target="_blank">Open it by itself</a></p>
      </template>
      <ArrangeGrid
        v-else-if="width === 'arrange'"
        :figures="figures"
        :titles="titles"
        :answer="drawn"
        :chosen="chosen"
        @change="move"
        @choose="choose"
      />
      <div v-else ref="pane" class="scroll">
        <div :style="{ width: `${width}px`, zoom: scale, '--seen-height': `${44 / scale}rem` }">
          <SeenPage v-if="drawn" title="The page as it is drawn" :answer="drawn" />
        </div>
      </div>
      <p v-if="!drawn && !wrong" class="quiet">It is drawn here with real data, a moment after you stop writing.</p>
    </section>
  </div>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--quiet);
  border-radius: 4px;
  padding: 0.7rem 1rem;
  margin-bottom: 1rem;
}
.drop p {
  margin: 0 0 0.5rem;
}
.starts,
.how {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 1.2rem;
  align-items: center;
}
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
.paper {
  width: 100%;
  height: 44rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
}
.scroll {
  overflow-x: auto;
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
