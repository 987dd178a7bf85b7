<script setup lang="ts">
import { computed, ref } from 'vue';
import { columnLabel, valueTypeOf, type DatasetColumn } from '@underbell/core/dataset';
import { formatCell } from '@underbell/core/format';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { consoleTaste } from '../platform/format.ts';

/** The first rows as you may see them, under a filter that can be tried. */
const props = defineProps<{ name: string }>();
const written = ref('');
const where = ref('');
const path = computed(
  () =>
    `/api/v1/datasets/${encodeURIComponent(props.name)}/preview${where.value ? `?where=${encodeURIComponent(where.value)}` : ''}`,
);
const { data, error, isLoading } = useResource<{
  columns: DatasetColumn[];
  rows: (string | number | boolean | null)[][];
}>(path);
const text = (cell: string | number | boolean | null, column: DatasetColumn) =>
  formatCell(cell, { ...column, type: valueTypeOf(column.type) }, consoleTaste());
const isNumber = (column: DatasetColumn) => valueTypeOf(column.type) === 'number';
</script>

<template>
  <h2 id="preview">Rows</h2>
  <form class="try" @submit.prevent="where = written.trim()">
    <label for="try-where">Filter</label>
    <input id="try-where" v-model="written" spellcheck="false" placeholder="delay_minutes > 20 AND NOT cancelled" />
    <button type="submit">Apply</button>
  </form>
  <ProblemNote v-if="error" :problem="error" />
  <div v-else class="scroll" tabindex="0" role="region" aria-label="The first rows" :aria-busy="isLoading">
    <table v-if="data">
      <thead>
        <tr>
          <th
            v-for="column in data.columns"
            :key="column.name"
            scope="col"
            :class="{ number: isNumber(column) }"
            :title="column.name"
          >
            {{ columnLabel(column) }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, index) in data.rows" :key="index">
          <td v-for="(column, i) in data.columns" :key="column.name" :class="{ number: isNumber(column) }">
            {{ text(row[i] ?? null, column) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="data?.rows.length === 0" class="quiet">No rows.</p>
  </div>
</template>

<style scoped>
.try {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  align-items: center;
  margin-bottom: 0.6rem;
}
input {
  font: inherit;
  flex: 1 1 20rem;
  height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
button {
  font: inherit;
  height: 32px;
  padding: 0 1rem;
  border: 1px solid var(--sea);
  border-radius: 4px;
  background: none;
  color: var(--sea);
}
.scroll {
  overflow: auto;
  max-height: 22rem;
  border: 1px solid var(--line);
  border-radius: 4px;
}
table {
  border-collapse: separate;
  border-spacing: 0;
  font-size: 0.875rem;
}
th {
  position: sticky;
  top: 0;
  background: var(--raised);
  text-align: left;
  color: var(--quiet);
  white-space: nowrap;
  border-bottom: 1px solid var(--quiet);
}
th,
td {
  padding: 0.25rem 0.7rem;
  white-space: nowrap;
}
td {
  border-bottom: 1px solid var(--line);
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
p {
  padding: 0 0.7rem;
}
</style>
