<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import type { Redirect } from '@underbell/core/folder';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** Old names that redirect to new ones. */
const { data, error, isLoading, reload } = useResource<{ names: Redirect[] }>('/api/v1/redirects');
const { problem, attempt } = useAttempt();
const remove = ({ kind, name }: Redirect) =>
  attempt('work', async () => {
    await call('DELETE', `/api/v1/redirects/${encodeURIComponent(kind)}/${encodeURIComponent(name)}`);
    await reload();
  });
const columns = [
  { title: 'Kind', dataIndex: 'kind' },
  { title: 'Old name', dataIndex: 'name' },
  { title: 'New name', dataIndex: 'now' },
  { title: '', key: 'act', width: 110 },
];
</script>

<template>
  <h1>Redirects</h1>
  <p class="quiet">Old names redirect to the new ones. A name that is deleted here can be used again.</p>
  <ProblemNote v-if="error ?? problem" :problem="(error ?? problem)!" />
  <p v-if="data?.names.length === 0" class="quiet">Nothing was renamed.</p>
  <Table
    v-else
    :columns="columns"
    :data-source="data?.names ?? []"
    :row-key="(one) => `${one.kind} ${one.name}`"
    size="small"
    :loading="isLoading"
    :pagination="{ pageSize: 20, showSizeChanger: false, hideOnSinglePage: true }"
  >
    <template #bodyCell="{ column, record }">
      <ConfirmAction
        v-if="column.key === 'act'"
        is-dangerous
        :title="`Links with the old name “${record.name}” stop working.`"
        ok-text="Delete"
        @confirm="remove(record as Redirect)"
        ><Button size="small" danger :aria-label="`Delete ${record.name}`">Delete</Button></ConfirmAction
      >
    </template>
  </Table>
</template>
