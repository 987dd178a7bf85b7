<script setup lang="ts">
import { Button, Spin } from 'ant-design-vue';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { freePlace, leastContrast, type BoardDefinition, type BoardFigure } from '@underbell/core/board';
import { contrast } from '@underbell/core/theme';
import RightsPanel from '../access/RightsPanel.vue';
import BinButton from '../folder/BinButton.vue';
import FavouriteButton from '../folder/FavouriteButton.vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/words.ts';
import BoardGrid from './BoardGrid.vue';
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
const catalogue = useResource<{ reports: Catalogue }>('/api/v1/catalogue');
const { busy, problem, attempt } = useAttempt();

const board = ref<BoardDefinition>();
watch(data, (found) => (board.value = found && structuredClone(found.definition)));
const isChanged = computed(() => JSON.stringify(board.value) !== JSON.stringify(data.value?.definition));
const chosen = ref<string>();
const chosenFigure = computed(() => board.value?.figures.find((one) => one.name === chosen.value));

function change(part: Partial<BoardDefinition>): void {
  if (board.value) board.value = { ...board.value, ...part };
}
const setFigures = (figures: BoardFigure[]) => change({ figures });
const setFigure = (figure: BoardFigure) =>
  setFigures(board.value!.figures.map((one) => (one.name === figure.name ? figure : one)));
function remove(name: string): void {
  setFigures(board.value!.figures.filter((one) => one.name !== name));
  chosen.value = undefined;
}
function add({ report, page, figure, width, height }: ChosenFigure): void {
  const names = new Set(board.value!.figures.map((one) => one.name));
  let name = figure;
  for (let n = 2; names.has(name); n++) name = `${figure}-${n}`;
  setFigures([
    ...board.value!.figures,
    { name, report, page, figure, at: freePlace(board.value!.figures, Math.max(3, width), Math.max(3, height)) },
  ]);
  chosen.value = name;
}
const titles = computed(() => {
  const pages = (catalogue.data.value?.reports ?? []).flatMap((report) =>
    report.pages.map((page) => [`${report.report}/${page.name}`, page] as const),
  );
  const find = new Map(pages);
  return Object.fromEntries(
    (board.value?.figures ?? []).map((one) => [
      one.name,
      one.title ??
        find.get(`${one.report}/${one.page}`)?.figures.find((figure) => figure.name === one.figure)?.title ??
        one.figure,
    ]),
  );
});

const usual = { background: '#FBFAF6', figure: '#FFFFFF', text: '#10262E' };
const theme = computed(() => board.value?.theme ?? usual);
const setColour = (name: keyof typeof usual, event: Event) =>
  change({ theme: { ...theme.value, [name]: (event.target as HTMLInputElement).value.toUpperCase() } });
const least = computed(() =>
  Math.min(contrast(theme.value.text, theme.value.figure), contrast(theme.value.text, theme.value.background)),
);
const canRead = computed(() => least.value >= leastContrast);

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
      <code>{{ name }}</code> changed {{ showInstant(data.changedAt) }} by {{ data.changedBy }}
      <a :href="`/b/${name}`">Look at it</a>
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
        >Contrast {{ least.toFixed(1) }}{{ canRead ? '' : `, at least ${leastContrast} can be read` }}</span
      >
      <Button v-if="board.theme" size="small" @click="change({ theme: undefined })">Usual colours</Button>
    </div>
    <ProblemNote v-if="problem" :problem="problem" />
    <p>
      <Button type="primary" :disabled="!isChanged || !canRead" :loading="busy === 'work'" @click="save">Save</Button>
    </p>
    <div class="desk">
      <section aria-label="Board">
        <BoardGrid
          :figures="board.figures"
          :titles="titles"
          :theme="theme"
          :chosen="chosen"
          @change="setFigures"
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
        <FigureCatalogue :reports="catalogue.data.value?.reports ?? []" @add="add" />
      </aside>
    </div>
    <RightsPanel kind="board" :name="name" />
    <BinButton kind="board" :name="name" :title="board.title" @gone="router.push('/boards')" />
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
