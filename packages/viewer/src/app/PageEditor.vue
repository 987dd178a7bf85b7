<script setup lang="ts">
import './own.css';
import { computed, onMounted, ref, shallowRef } from 'vue';
import type { AppPage, PageItem } from '@underbell/core/app';

/** A page of an app: its title, and which figures and charts stand on it, in which order. */
const props = defineProps<{
  ask: <T>(path: string, method?: string, body?: object) => Promise<T>;
  base: string;
  charts: readonly { readonly name: string; readonly title: string }[];
  /** The one that is changed; a new one without. */
  page?: AppPage | undefined;
}>();
const emit = defineEmits<{ saved: [name: string]; close: [] }>();

interface Offered {
  readonly report: string;
  readonly title: string;
  readonly pages: readonly {
    readonly name: string;
    readonly title: string;
    readonly figures: readonly { readonly name: string; readonly title: string }[];
  }[];
}
const reports = shallowRef<readonly Offered[]>([]);
const title = ref(props.page?.title ?? '');
const items = ref<readonly PageItem[]>(props.page?.items ?? []);
const words = ref('');
const wrong = ref('');
const isBusy = ref(false);
onMounted(async () => {
  try {
    reports.value = (await props.ask<{ reports: Offered[] }>('/api/v1/available-figures')).reports;
  } catch (error) {
    wrong.value = error instanceof Error ? error.message : String(error);
  }
});

interface Choice {
  readonly item: PageItem;
  readonly title: string;
  readonly from: string;
}
const choices = computed((): Choice[] => [
  ...props.charts.map((one) => ({ item: { chart: one.name }, title: one.title, from: 'a chart of this app' })),
  ...reports.value.flatMap((report) =>
    report.pages.flatMap((page) =>
      page.figures.map((figure) => ({
        item: { report: report.report, page: page.name, figure: figure.name },
        title: figure.title,
        from: report.pages.length > 1 ? `${report.title}, ${page.title}` : report.title,
      })),
    ),
  ),
]);
const keyOf = (item: PageItem) =>
  'chart' in item ? `chart ${item.chart}` : `${item.report}/${item.page}/${item.figure}`;
const fitting = computed(() => {
  const wanted = words.value.trim().toLowerCase();
  const taken = new Set(items.value.map(keyOf));
  return choices.value.filter(
    (one) => !taken.has(keyOf(one.item)) && `${one.title} ${one.from}`.toLowerCase().includes(wanted),
  );
});
const choiceOf = (item: PageItem) => choices.value.find((one) => keyOf(one.item) === keyOf(item));

function move(from: number, by: number): void {
  const next = [...items.value];
  const [one] = next.splice(from, 1);
  next.splice(from + by, 0, one!);
  items.value = next;
}
/** A new page is called by its title, with something behind that nobody else has. */
function newName(): string {
  const words_ = title.value
    .normalize('NFD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 40);
  return `${words_ || 'page'}-${crypto.getRandomValues(new Uint32Array(1))[0]!.toString(36)}`;
}
async function save(): Promise<void> {
  isBusy.value = true;
  wrong.value = '';
  const name = props.page?.name ?? newName();
  try {
    await props.ask(`${props.base}/${name}`, 'PUT', {
      title: title.value,
      items: items.value,
      ...(props.page ? { version: props.page.version } : {}),
    });
    emit('saved', name);
  } catch (error) {
    wrong.value = error instanceof Error ? error.message : String(error);
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <form class="own-form editor" @submit.prevent="save">
    <h1>{{ page ? 'Edit page' : 'Create page' }}</h1>
    <label>Title <input v-model="title" required maxlength="200" /></label>
    <div class="both">
      <section aria-label="Figures on the page">
        <h2>Figures on the page</h2>
        <p v-if="items.length === 0" class="quiet">No figures. Add some from the list.</p>
        <ol v-else>
          <li v-for="(item, i) in items" :key="keyOf(item)">
            <span>
              {{ choiceOf(item)?.title ?? keyOf(item) }}
              <small class="quiet">{{ choiceOf(item)?.from ?? 'no access' }}</small>
            </span>
            <button
              type="button"
              :disabled="i === 0"
              :aria-label="`Move up: ${choiceOf(item)?.title ?? keyOf(item)}`"
              @click="move(i, -1)"
            >
              Move up
            </button>
            <button
              type="button"
              :disabled="i === items.length - 1"
              :aria-label="`Move down: ${choiceOf(item)?.title ?? keyOf(item)}`"
              @click="move(i, 1)"
            >
              Move down
            </button>
            <button
              type="button"
              :aria-label="`Remove: ${choiceOf(item)?.title ?? keyOf(item)}`"
              @click="items = items.filter((one) => one !== item)"
            >
              Remove
            </button>
          </li>
        </ol>
      </section>
      <section aria-label="Available figures">
        <h2>Available figures</h2>
        <label>Search <input v-model="words" type="search" /></label>
        <ul tabindex="0" aria-label="Results">
          <li v-for="one in fitting" :key="keyOf(one.item)">
            <span
              >{{ one.title }} <small class="quiet">{{ one.from }}</small></span
            >
            <button type="button" :aria-label="`Add: ${one.title}, ${one.from}`" @click="items = [...items, one.item]">
              Add
            </button>
          </li>
        </ul>
      </section>
    </div>
    <p v-if="wrong" role="alert" class="wrong">{{ wrong }}</p>
    <p class="ends">
      <button type="submit" class="main" :disabled="isBusy || items.length === 0">Save</button>
      <button type="button" @click="emit('close')">Cancel</button>
    </p>
  </form>
</template>

<style scoped>
.editor {
  max-width: 70rem;
}
label {
  max-width: 30rem;
}
.both {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(15rem, 1fr));
  gap: 0 2rem;
}
ul {
  max-height: 22rem;
  overflow-y: auto;
}
li span {
  flex: 1 1 10rem;
  display: grid;
}
</style>
