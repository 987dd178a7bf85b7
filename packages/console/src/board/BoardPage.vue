<script setup lang="ts">
import { Button, Spin } from 'ant-design-vue';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import {
  freePlace,
  leastContrast,
  type BoardDefinition,
  type BoardFigure,
  type BoardFrame,
} from '@underbell/core/board';
import type { GridPlace } from '@underbell/core/report';
import { contrast } from '@underbell/core/theme';
import PermissionsPanel from '../access/PermissionsPanel.vue';
import MoveToTrashButton from '../folder/MoveToTrashButton.vue';
import FavouriteButton from '../folder/FavouriteButton.vue';
import type { ShownPerson } from '@underbell/core/access';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem, call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';
import type { ViewResponse } from '@underbell/core/view';
import LayoutGrid from '../preview/LayoutGrid.vue';
import FrameForm from './FrameForm.vue';
import FigureCatalogue, { type Catalogue, type ChosenFigure } from './FigureCatalogue.vue';
import FigureForm from './FigureForm.vue';

interface Shown {
  readonly definition: BoardDefinition;
  readonly version: number;
  readonly changedAt: string;
  readonly changedBy: string;
}
const props = defineProps<{ name: string }>();
const router = useRouter();
const { data, error, reload } = useResource<Shown>(() => `/api/v1/boards/${encodeURIComponent(props.name)}`);
const catalogue = useResource<{ reports: Catalogue }>('/api/v1/available-figures');
const { busy, problem, attempt } = useAttempt();

const board = ref<BoardDefinition>();
watch(data, (found) => (board.value = found && structuredClone(found.definition)));
const isChanged = computed(() => JSON.stringify(board.value) !== JSON.stringify(data.value?.definition));
const chosen = ref<string>();
const chosenFigure = computed(() => board.value?.figures.find((one) => one.name === chosen.value));

function change(part: Partial<BoardDefinition>): void {
  if (board.value) board.value = { ...board.value, ...part };
}
const frames = computed(() => board.value?.frames ?? []);
const chosenFrame = computed(() => frames.value.find((one) => one.name === chosen.value));
const things = computed(() => [...(board.value?.figures ?? []), ...frames.value]);
/** What was moved or resized, wherever it comes from. */
function place(places: readonly { readonly name: string; readonly at: GridPlace }[]): void {
  const atOf = new Map(places.map((one) => [one.name, one.at]));
  const moved = <T extends { readonly name: string; readonly at: GridPlace }>(list: readonly T[]) =>
    list.map((one) => ({ ...one, at: atOf.get(one.name) ?? one.at }));
  change({
    figures: moved(board.value!.figures),
    ...(board.value!.frames ? { frames: moved(board.value!.frames) } : {}),
  });
}
function setFrames(list: readonly BoardFrame[]): void {
  const { frames: _, ...rest } = board.value!;
  board.value = list.length > 0 ? { ...rest, frames: list } : rest;
}
function freeName(wish: string): string {
  const names = new Set(things.value.map((one) => one.name));
  let name = wish;
  for (let n = 2; names.has(name); n++) name = `${wish}-${n}`;
  return name;
}
function addFrame(address: string, title: string): void {
  const name = freeName('frame');
  setFrames([...frames.value, { name, title, address, at: freePlace(things.value, 6, 6) }]);
  chosen.value = name;
}
const setFrame = (frame: BoardFrame) => setFrames(frames.value.map((one) => (one.name === frame.name ? frame : one)));
function removeFrame(name: string): void {
  setFrames(frames.value.filter((one) => one.name !== name));
  chosen.value = undefined;
}
const setFigures = (figures: BoardFigure[]) => change({ figures });
const setFigure = (figure: BoardFigure) =>
  setFigures(board.value!.figures.map((one) => (one.name === figure.name ? figure : one)));
function remove(name: string): void {
  setFigures(board.value!.figures.filter((one) => one.name !== name));
  chosen.value = undefined;
}
function add({ report, page, figure, width, height }: ChosenFigure): void {
  const name = freeName(figure);
  setFigures([
    ...board.value!.figures,
    { name, report, page, figure, at: freePlace(things.value, Math.max(3, width), Math.max(3, height)) },
  ]);
  chosen.value = name;
}
const titles = computed(() => {
  const pages = (catalogue.data.value?.reports ?? []).flatMap((report) =>
    report.pages.map((page) => [`${report.report}/${page.name}`, page] as const),
  );
  const find = new Map(pages);
  return Object.fromEntries([
    ...(board.value?.figures ?? []).map((one) => [
      one.name,
      one.title ??
        find.get(`${one.report}/${one.page}`)?.figures.find((figure) => figure.name === one.figure)?.title ??
        one.figure,
    ]),
    ...frames.value.map((one) => [one.name, one.title]),
  ]) as Record<string, string>;
});

const usual = { background: '#FBFAF6', figure: '#FFFFFF', text: '#10262E' };
const theme = computed(() => board.value?.theme ?? usual);
const setColour = (name: keyof typeof usual, event: Event) =>
  change({ theme: { ...theme.value, [name]: (event.target as HTMLInputElement).value.toUpperCase() } });
const least = computed(() =>
  Math.min(contrast(theme.value.text, theme.value.figure), contrast(theme.value.text, theme.value.background)),
);
const canRead = computed(() => least.value >= leastContrast);

/** Drawn with real data as it stands here, saved or not. */
const drawn = shallowRef<ViewResponse>();
const wrong = shallowRef<ProblemDocument>();
const as = ref('');
const people = useResource<{ people: (ShownPerson & { state: string })[] }>('/api/v1/users');
const pauseMs = 300;
let newest = 0;
let timer = 0;
async function draw(): Promise<void> {
  const turn = ++newest;
  const body = { definition: board.value, ...(as.value === '' ? {} : { as: as.value }) };
  try {
    const found = await call<ViewResponse>('POST', '/api/v1/boards/preview', body);
    if (turn !== newest) return;
    drawn.value = found;
    wrong.value = undefined;
  } catch (failure) {
    if (!(failure instanceof ApiProblem)) throw failure;
    if (turn === newest) wrong.value = failure.document;
  }
}
watch([board, as], () => {
  window.clearTimeout(timer);
  if (board.value) timer = window.setTimeout(() => void draw(), drawn.value ? pauseMs : 0);
});
onBeforeUnmount(() => window.clearTimeout(timer));

const save = () =>
  attempt('work', async () => {
    await call('PUT', '/api/v1/boards', { definition: board.value, version: data.value!.version });
    await reload();
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/boards">Boards</RouterLink></p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!board || !data" />
  <template v-else>
    <h1>{{ board.title }}</h1>
    <p class="quiet head">
      <code>{{ name }}</code> edited {{ showInstant(data.changedAt) }} by {{ data.changedBy }}
      <a :href="`/b/${name}`">Open</a>
      <FavouriteButton kind="board" :name="name" />
    </p>
    <div class="fields">
      <label
        >Title <input :value="board.title" @input="change({ title: ($event.target as HTMLInputElement).value })"
      /></label>
      <label v-for="part in ['background', 'figure', 'text'] as const" :key="part" class="colour">
        {{ { background: 'Background', figure: 'Figures', text: 'Text' }[part] }}
        <input type="color" :value="theme[part].toLowerCase()" @input="setColour(part, $event)" />
      </label>
      <span :class="{ bad: !canRead }" role="status"
        >Contrast {{ least.toFixed(1) }}{{ canRead ? '' : ` (minimum ${leastContrast})` }}</span
      >
      <Button v-if="board.theme" size="small" @click="change({ theme: undefined })">Default colours</Button>
    </div>
    <ProblemNote v-if="problem" :problem="problem" />
    <p>
      <Button type="primary" :disabled="!isChanged || !canRead" :loading="busy === 'work'" @click="save">Save</Button>
    </p>
    <div class="desk">
      <section aria-label="Board">
        <label
          >Preview as
          <select v-model="as" class="plain">
            <option value="">me</option>
            <option v-for="one in people.data.value?.people ?? []" :key="one.email" :value="one.email">
              {{ one.name }}
            </option>
          </select>
        </label>
        <ProblemNote v-if="wrong" :problem="wrong" />
        <LayoutGrid
          :figures="things"
          :titles="titles"
          :answer="drawn"
          :chosen="chosen"
          @change="place"
          @choose="chosen = $event"
        />
      </section>
      <aside>
        <FigureForm
          v-if="chosenFigure"
          :key="chosenFigure.name"
          :figure="chosenFigure"
          :title="titles[chosenFigure.name]!"
          :catalogue="catalogue.data.value?.reports ?? []"
          @change="setFigure"
          @remove="remove(chosenFigure.name)"
        />
        <FrameForm
          :key="chosenFrame?.name ?? 'new'"
          :frame="chosenFrame"
          @add="addFrame"
          @change="setFrame"
          @remove="removeFrame(chosenFrame!.name)"
        />
        <FigureCatalogue :reports="catalogue.data.value?.reports ?? []" @add="add" />
      </aside>
    </div>
    <PermissionsPanel kind="board" :name="name" />
    <MoveToTrashButton kind="board" :name="name" :title="board.title" @gone="router.push('/boards')" />
  </template>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 0.9rem;
  align-items: center;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem 1.2rem;
  align-items: center;
  margin-bottom: 0.8rem;
}
label {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
}
input[type='color'] {
  width: 3.2rem;
  height: 32px;
  padding: 2px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
}
input:not([type='color']) {
  font: inherit;
  height: 32px;
  width: 18rem;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
.bad {
  color: var(--signal);
}
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 21rem;
  gap: 1.2rem;
}
@media (max-width: 900px) {
  .desk {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
