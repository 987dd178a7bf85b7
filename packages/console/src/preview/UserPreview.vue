<script setup lang="ts">
import type { LimitWords } from '@underbell/core/access';
import type { SeenView } from '@underbell/core/preview';
import { computed } from 'vue';
import { formatCell } from '@underbell/core/format';
import { capitalised, consoleTaste, showCount } from '../platform/format.ts';
import PagePreview from './PagePreview.vue';

const props = defineProps<{ seen: SeenView; own?: readonly string[] }>();
const attributes = computed(() =>
  Object.entries(props.seen.as.attributes ?? {})
    .map(([name, values]) => `${name} ${values.join(', ')}`)
    .join(' · '),
);
const isOwn = (limit: LimitWords) => props.own?.includes(`${limit.origin}: ${limit.words}`) === true;
/** A figure in one line or a small table: what it says, not how it is drawn. */
const shown = computed(() =>
  props.seen.figures
    .filter((figure) => figure.kind !== 'text')
    .map((figure) => {
      const result = props.seen.results[figure.name];
      const rows = (result?.rows ?? []).slice(0, figure.kind === 'number' ? 1 : 3);
      const cells = rows.map((row) => row.map((cell, i) => formatCell(cell, result!.columns[i]!, consoleTaste())));
      return { figure, result, cells, more: Math.max(0, (result?.rows.length ?? 0) - rows.length) };
    }),
);
</script>

<template>
  <section class="seen" :aria-label="seen.as.name">
    <h2>{{ seen.as.name }}</h2>
    <p class="quiet">
      {{ [seen.as.groups?.join(', '), attributes].filter(Boolean).join(' · ') }}
    </p>
    <p>
      <b :class="{ none: seen.right.level === 'none' }">{{ capitalised(seen.right.because) }}</b>
    </p>
    <template v-for="one in seen.datasets" :key="one.dataset">
      <table>
        <thead>
          <tr>
            <th scope="col">{{ one.dataset }}</th>
            <th scope="col">filter</th>
            <th scope="col" class="number">rows</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td class="quiet">dataset</td>
            <td>all rows</td>
            <td class="number">{{ one.rowsTotal === undefined ? '' : showCount(one.rowsTotal) }}</td>
          </tr>
          <tr v-for="limit in one.limits" :key="limit.origin + limit.name" :class="{ own: isOwn(limit) }">
            <td class="quiet">
              {{ limit.origin }} <code>{{ limit.name }}</code>
            </td>
            <td>{{ limit.words }}</td>
            <td class="number">{{ limit.rowsLeft === undefined ? '' : showCount(limit.rowsLeft) }}</td>
          </tr>
          <tr v-for="mask in one.masks" :key="mask.name">
            <td class="quiet">
              mask <code>{{ mask.name }}</code>
            </td>
            <td colspan="2">{{ mask.words }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <p v-if="seen.withheld" class="quiet">{{ capitalised(seen.withheld) }}.</p>
    <dl v-if="shown.length > 0">
      <template v-for="one in shown" :key="one.figure.name">
        <dt>{{ one.figure.title }}</dt>
        <dd v-if="one.result?.refused" class="none">
          {{ one.result.refused.message }}
        </dd>
        <dd v-else-if="one.cells.length === 0" class="quiet">none</dd>
        <dd v-else>
          <span v-if="one.figure.kind === 'table'" class="quiet">{{
            one.result!.columns.map((column) => column.label).join(' · ')
          }}</span>
          <span v-for="(row, i) in one.cells" :key="i">{{ row.join(' · ') }}</span>
          <span v-if="one.more > 0" class="quiet">and {{ one.more }} more</span>
        </dd>
      </template>
    </dl>
    <PagePreview v-if="seen.view" :title="`Preview as ${seen.as.name}`" :answer="seen.view" />
  </section>
</template>

<style scoped>
.seen {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 1rem 1.2rem;
  min-width: 0;
}
h2 {
  margin: 0;
}
table {
  width: 100%;
  border-collapse: collapse;
  margin-bottom: 0.8rem;
}
th,
td {
  text-align: left;
  padding: 0.25rem 0.6rem 0.25rem 0;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
}
th {
  color: var(--quiet);
}
.number {
  text-align: right;
  white-space: nowrap;
}
.own td:nth-child(2) {
  font-weight: 600;
  box-shadow: inset 3px 0 0 var(--brass);
  padding-left: 0.6rem;
}
.none {
  color: var(--signal);
}
dl {
  display: grid;
  grid-template-columns: minmax(9rem, auto) 1fr;
  gap: 0.3rem 1rem;
  margin: 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  display: grid;
}
</style>
