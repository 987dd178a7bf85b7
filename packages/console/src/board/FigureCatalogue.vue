<script lang="ts">
import type { OfferedReport } from '@underbell/core/board';

/** Everything that can be put on a board, as it is now. */
export type Catalogue = readonly OfferedReport[];

export interface ChosenFigure {
  readonly report: string;
  readonly page: string;
  readonly figure: string;
  readonly width: number;
  readonly height: number;
}
</script>

<script setup lang="ts">
import { computed, ref } from 'vue';

const props = defineProps<{ reports: Catalogue }>();
const emit = defineEmits<{ add: [chosen: ChosenFigure] }>();
const search = ref('');
const shown = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return props.reports.flatMap((report) => {
    const figures = report.pages.flatMap((page) =>
      page.figures
        .filter((figure) => `${report.title} ${page.title} ${figure.title}`.toLowerCase().includes(wanted))
        .map((figure) => ({ ...figure, page: page.name, pageTitle: page.title })),
    );
    return figures.length > 0 ? [{ ...report, figures }] : [];
  });
});
</script>

<template>
  <section class="catalogue" aria-labelledby="catalogue">
    <h2 id="catalogue">Add a figure</h2>
    <input v-model="search" type="search" aria-label="Search figures" placeholder="Search" />
    <details v-for="report in shown" :key="report.report" :open="search !== '' || shown.length === 1">
      <summary>{{ report.title }}</summary>
      <ul>
        <li v-for="figure in report.figures" :key="figure.page + figure.name">
          <button
            type="button"
            @click="
              emit('add', {
                report: report.report,
                page: figure.page,
                figure: figure.name,
                width: figure.width,
                height: figure.height,
              })
            "
          >
            {{ figure.title }} <small>{{ figure.kind }}, {{ figure.pageTitle }}</small>
          </button>
        </li>
      </ul>
    </details>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 0.6rem;
}
input {
  font: inherit;
  width: 100%;
  height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
details {
  margin-top: 0.5rem;
}
summary {
  cursor: pointer;
  font-weight: 600;
}
ul {
  list-style: none;
  margin: 0.2rem 0;
  padding: 0;
}
li button {
  font: inherit;
  width: 100%;
  text-align: left;
  border: 0;
  border-bottom: 1px solid var(--line);
  background: none;
  color: var(--ink);
  padding: 0.25rem 0;
  cursor: pointer;
}
small {
  color: var(--quiet);
}
</style>
