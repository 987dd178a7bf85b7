<script setup lang="ts">
import { Table } from 'ant-design-vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';

interface Row {
  readonly name: string;
  readonly title: string;
  readonly source: string | null;
  readonly columns: number;
  readonly isLoaded: boolean;
}
const { data, error, isLoading } = useResource<{ datasets: Row[] }>('/api/v1/datasets');
const columns = [
  { title: 'Dataset', key: 'name' },
  { title: 'Source', key: 'source' },
  { title: 'Columns', dataIndex: 'columns', align: 'right' as const },
];
</script>

<template>
  <h1>Data</h1>
  <p class="quiet">Typed tables behind the reports, and the rules that say who sees which of their rows.</p>
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="data?.datasets ?? []"
    row-key="name"
    :loading="isLoading"
    :pagination="false"
  >
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'name'">
        <RouterLink :to="`/data/${record.name}`">{{ record.title }}</RouterLink> <code>{{ record.name }}</code>
        <span v-if="!record.isLoaded" class="quiet"> not loaded yet</span>
      </template>
      <template v-else-if="column.key === 'source'">{{ record.source ?? 'uploaded file' }}</template>
    </template>
    <template #emptyText>No dataset yet. <code>underbell dataset --help</code> says how to make one.</template>
  </Table>
</template>
