<script setup lang="ts">
import type { ListedDataset } from '@underbell/core/dataset';
import { Table } from 'ant-design-vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';

const { data, error, isLoading } = useResource<{ datasets: ListedDataset[] }>('/api/v1/datasets');
const columns = [
  { title: 'Dataset', key: 'name' },
  { title: 'Source', key: 'source' },
  { title: 'Columns', dataIndex: 'columns', align: 'right' as const },
  { title: 'Rows', key: 'rows', align: 'right' as const },
  { title: 'Loaded', key: 'loaded' },
  { title: 'Next', key: 'next' },
];
</script>

<template>
  <h1>Data</h1>
  <p class="quiet">Datasets for reports, with row rules and masks.</p>
  <p class="jumps">
    <RouterLink to="/data/upload">Upload a file</RouterLink> <RouterLink to="/data/sql">Dataset from SQL</RouterLink>
    <RouterLink to="/data/synced">Synced files</RouterLink>
    <RouterLink to="/data/refreshes">Refreshes</RouterLink>
    <RouterLink to="/data/sources">Data sources</RouterLink>
    <RouterLink to="/trash">Trash</RouterLink>
  </p>
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
        <RouterLink :to="`/data/${record.name}`">{{ record.title }}</RouterLink>&nbsp;<code>{{ record.name }}</code>
        <span v-if="!record.isLoaded" class="quiet"> not loaded</span>
      </template>
      <template v-else-if="column.key === 'source'"
        >{{ record.source ?? 'uploaded file' }}<template v-if="record.kind === 'live'">, live</template></template
      >
      <template v-else-if="column.key === 'rows'">{{
        record.rows === undefined ? '' : showCount(record.rows)
      }}</template>
      <template v-else-if="column.key === 'loaded'"
        >{{ record.kind === 'live' ? 'live' : showInstant(record.loadedAt ?? null)
        }}<b v-if="record.staleSince" class="stale" :title="record.staleReason"> stale</b></template
      >
      <template v-else-if="column.key === 'next'">{{
        record.nextRefreshAt ? showInstant(record.nextRefreshAt) : ''
      }}</template>
    </template>
    <template #emptyText>No datasets. Upload a file, or define one by SQL on a data source.</template>
  </Table>
</template>

<style scoped>
.stale {
  color: var(--signal);
}
</style>
