<script setup lang="ts">
import type { RowRuleTest } from '@underbell/core/access';
import { computed } from 'vue';
import { showCount } from '../platform/format.ts';

const props = defineProps<{ trial: RowRuleTest }>();
const share = computed(() => (props.trial.rowsTotal === 0 ? 0 : (100 * props.trial.rowsKept) / props.trial.rowsTotal));
const rows = computed(() => [
  ...props.trial.kept.map((cells) => ({ cells, isKept: true })),
  ...props.trial.dropped.map((cells) => ({ cells, isKept: false })),
]);
</script>

<template>
  <div class="trial">
    <p class="counts" aria-live="polite">
      <span class="bar" aria-hidden="true"><i :style="{ width: `${share}%` }" /></span>
      <b>{{ showCount(trial.rowsKept) }}</b> of {{ showCount(trial.rowsTotal) }} rows visible,
      {{ showCount(trial.rowsDropped) }} hidden
    </p>
    <p class="quiet">
      With all row rules, {{ trial.for.name }} sees <b>{{ showCount(trial.rowsTogether) }}</b> rows:
      {{ trial.together.join('; ') || 'all rows' }}.
    </p>
    <div class="scroll">
      <table>
        <thead>
          <tr>
            <th scope="col">Row</th>
            <th v-for="column in trial.columns" :key="column.name" scope="col">{{ column.label }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, i) in rows" :key="i" :class="{ dropped: !row.isKept }">
            <th scope="row">{{ row.isKept ? '✓ visible' : '✗ hidden' }}</th>
            <td v-for="(cell, j) in row.cells" :key="j">{{ cell ?? '–' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="rows.length === 0" class="quiet">No rows to show.</p>
  </div>
</template>

<style scoped>
.trial {
  margin-top: 0.9rem;
}
.counts {
  display: flex;
  gap: 0.4rem;
  align-items: center;
  margin: 0 0 0.3rem;
}
.bar {
  width: 9rem;
  height: 0.55rem;
  background: var(--line);
  border-radius: 2px;
  overflow: hidden;
}
.bar i {
  display: block;
  height: 100%;
  background: var(--sea);
}
.scroll {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 0.9rem;
}
th,
td {
  text-align: left;
  padding: 0.2rem 0.6rem;
  border-bottom: 1px solid var(--line);
  white-space: nowrap;
}
thead th {
  color: var(--quiet);
}
tbody th {
  color: var(--good);
  font-weight: 600;
}
.dropped th {
  color: var(--signal);
}
.dropped td {
  color: var(--quiet);
}
</style>
