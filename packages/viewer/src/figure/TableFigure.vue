<script setup lang="ts">
import { formatCell, type ReaderTaste } from '@underbell/core/format';
import type { FigureResult } from '@underbell/core/report';

defineProps<{ title: string; result: FigureResult; taste: ReaderTaste }>();
</script>

<template>
  <div class="scroll" tabindex="0" role="region" :aria-label="title">
    <table>
      <thead>
        <tr>
          <th
            v-for="column in result.columns"
            :key="column.name"
            scope="col"
            :class="{ number: column.type === 'number' }"
          >
            {{ column.label }}<span v-if="column.unit" class="unit"> {{ column.unit }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, index) in result.rows" :key="index">
          <td v-for="(column, i) in result.columns" :key="column.name" :class="{ number: column.type === 'number' }">
            {{ formatCell(row[i], column, taste) }}
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 0.9375rem;
}
th {
  position: sticky;
  top: 0;
  background: var(--raised);
  color: var(--quiet);
  font-weight: 600;
  text-align: left;
  white-space: nowrap;
  border-bottom: 1px solid var(--quiet);
}
th,
td {
  padding: 0.28rem 0.7rem 0.28rem 0;
}
td {
  border-bottom: 1px solid var(--line);
}
.number {
  text-align: right;
  white-space: nowrap;
}
.unit {
  font-weight: 400;
  margin-left: 0.3em;
}
</style>
