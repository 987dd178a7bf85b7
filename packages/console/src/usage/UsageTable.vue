<script setup lang="ts">
import { Table } from 'ant-design-vue';
import { computed } from 'vue';
import type { CostSum } from '@underbell/core/usage';
import { capitalised, formatName, showCount, showSize } from '../platform/format.ts';

const props = defineProps<{ by: string; sums: readonly CostSum[] }>();
const msOf = (one: CostSum) => one.queryMs + one.renderMs;
const most = computed(() => Math.max(1, ...props.sums.map(msOf)));
const seconds = (ms: number) => (ms < 10_000 ? (ms / 1000).toFixed(2) : showCount(Math.round(ms / 1000)));
const columns = computed(() => [
  { title: capitalised(props.by), key: 'name' },
  { title: 'Count', key: 'times', align: 'right' as const, width: 90 },
  { title: 'Rows', key: 'rows', align: 'right' as const, width: 120 },
  { title: 'Seconds', key: 'seconds', width: 260 },
  { title: 'Compute time here', key: 'cpu', align: 'right' as const, width: 170 },
  { title: 'Average (ms)', key: 'each', align: 'right' as const, width: 150 },
  { title: 'Size', key: 'bytes', align: 'right' as const, width: 110 },
  { title: 'From cache', key: 'hits', align: 'right' as const, width: 130 },
]);
</script>

<template>
  <Table
    :columns="columns"
    :data-source="[...sums]"
    row-key="name"
    size="small"
    :pagination="{ pageSize: 31, showSizeChanger: false, hideOnSinglePage: true }"
  >
    <template #emptyText><p class="quiet">No usage data.</p></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'name'">{{
        by.startsWith('format') ? capitalised(formatName(record.name)) : record.name
      }}</template>
      <template v-else-if="column.key === 'times'">{{ showCount(record.times) }}</template>
      <template v-else-if="column.key === 'rows'">{{ showCount(record.rows) }}</template>
      <span v-else-if="column.key === 'seconds'" class="bar">
        <i aria-hidden="true" :style="{ width: `${(9 * msOf(record as CostSum)) / most}rem` }" />
        {{ seconds(msOf(record as CostSum)) }}
      </span>
      <template v-else-if="column.key === 'cpu'">{{ seconds(record.cpuMs) }}</template>
      <template v-else-if="column.key === 'each'">{{ (msOf(record as CostSum) / record.times).toFixed(1) }}</template>
      <template v-else-if="column.key === 'bytes'">{{ record.bytes > 0 ? showSize(record.bytes) : '' }}</template>
      <template v-else-if="column.key === 'hits'">{{
        record.hitShare === null ? '' : `${Math.round(record.hitShare * 100)} %`
      }}</template>
    </template>
  </Table>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 0.5rem;
  font-variant-numeric: tabular-nums;
}
.bar i {
  height: 0.7rem;
  min-width: 1px;
  border-radius: 2px;
  background: var(--sea);
}
</style>
