<script setup lang="ts">
import type { ShownBurst } from '@underbell/core/burst/apiTypes';
import { Empty, Table } from 'ant-design-vue';
import { computed } from 'vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { formatName, showInstant } from '../platform/format.ts';
import RunStatus from './RunStatus.vue';

const { data, error, isLoading } = useResource<{ bursts: ShownBurst[] }>('/api/v1/bursts');
const bursts = computed(() => data.value?.bursts ?? []);
const columns = [
  { title: 'Burst', key: 'name' },
  { title: 'Report', key: 'report' },
  { title: 'Recipient list', key: 'list' },
  { title: 'Formats', key: 'formats' },
  { title: 'Last run', key: 'lastRun' },
];
</script>

<template>
  <h1>Bursts</h1>
  <p class="quiet">A burst sends each recipient of a list a filtered copy.</p>
  <p class="jumps">
    <RouterLink to="/bursts/new">Create burst</RouterLink>
    <RouterLink to="/lists">Recipient lists</RouterLink>
    <RouterLink to="/destinations">Destinations</RouterLink>
    <RouterLink to="/workbook-templates">Workbook templates</RouterLink>
    <RouterLink to="/holiday-calendars">Calendars</RouterLink>
    <RouterLink to="/usage">Usage</RouterLink>
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Table v-else :columns="columns" :data-source="bursts" row-key="name" :loading="isLoading" :pagination="false">
    <template #emptyText><Empty description="No bursts. Create one here or run: underbell burst save FILE" /></template>
    <template #bodyCell="{ column, record }">
      <RouterLink v-if="column.key === 'name'" :to="`/bursts/${record.name}`">{{ record.definition.title }}</RouterLink>
      <RouterLink v-else-if="column.key === 'report'" :to="`/reports/${record.definition.report}`">{{
        record.definition.report
      }}</RouterLink>
      <RouterLink v-else-if="column.key === 'list'" :to="`/lists/${record.definition.list}`">{{
        record.definition.list
      }}</RouterLink>
      <template v-else-if="column.key === 'formats'">{{
        record.definition.formats.map(formatName).join(', ')
      }}</template>
      <template v-else-if="record.lastRun">
        <RunStatus :state="record.lastRun.state" /> {{ record.lastRun.period }}, {{ record.lastRun.counts.sent }} sent
        <span class="quiet">{{ showInstant(record.lastRun.finishedAt ?? record.lastRun.createdAt) }}</span>
      </template>
      <span v-else class="quiet">never</span>
    </template>
  </Table>
</template>
