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
  { title: 'Item', key: 'what' },
  { title: 'Deleted', key: 'when' },
  { title: 'Restorable until', key: 'until' },
  { title: '', key: 'act', width: 110 },
];
</script>

<template>
  <h1>Trash</h1>
  <p class="quiet">
    Deleted items that you own. They are removed permanently after 30 days. Old names of items:
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
      <Button v-else-if="column.key === 'act'" size="small" @click="restore(record.kind, record.name)">Restore</Button>
    </template>
    <template #emptyText><span class="quiet">Trash is empty.</span></template>
  </Table>
</template>
