<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const { data, error, isLoading, reload } = useResource<{
  things: { kind: string; name: string; title: string; deletedAt: string; deletedBy: string; until: string }[];
}>('/api/v1/trash');
const { problem, attempt } = useAttempt();
const restore = (kind: string, name: string) =>
  attempt('work', async () => {
    await call('POST', `/api/v1/trash/${kind}/${name}/restore`);
    await reload();
  });
const columns = [
  { title: 'What', key: 'what' },
  { title: 'Thrown away', key: 'when' },
  { title: 'Can be had back until', key: 'until' },
  { title: '', key: 'act', width: 110 },
];
</script>

<template>
  <h1>Bin</h1>
  <p class="quiet">
    What you own and threw away. After 30 days it is gone for good. Names that things had before:
    <RouterLink to="/redirects">Redirects</RouterLink>.
  </p>
  <ProblemNote v-if="error ?? problem" :problem="(error ?? problem)!" />
  <Table
    :columns="columns"
    :data-source="data?.things ?? []"
    :row-key="(one) => `${one.kind} ${one.name}`"
    :loading="isLoading"
    :pagination="false"
  >
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'what'"
        >{{ record.title }}
        <span class="quiet"
          >{{ record.kind }} <code>{{ record.name }}</code></span
        ></template
      >
      <template v-else-if="column.key === 'when'"
        >{{ showInstant(record.deletedAt) }} by {{ record.deletedBy }}</template
      >
      <template v-else-if="column.key === 'until'">{{ showInstant(record.until) }}</template>
      <Button v-else-if="column.key === 'act'" size="small" @click="restore(record.kind, record.name)">Put back</Button>
    </template>
    <template #emptyText><span class="quiet">The bin is empty.</span></template>
  </Table>
</template>
