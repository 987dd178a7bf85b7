<script setup lang="ts">
import type { Unsubscribed } from '@underbell/core/burst/apiTypes';
import { Button, Table } from 'ant-design-vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

/** Recipients who want no more copies of a burst; nothing where there are none. */
const props = defineProps<{ burst: string }>();
const base = () => `/api/v1/bursts/${encodeURIComponent(props.burst)}`;
const { data, error, reload } = useResource<{ unsubscribed: Unsubscribed[] }>(() => `${base()}/unsubscribed`);
const { problem, attempt } = useAttempt();
const again = (address: string) =>
  attempt('work', async () => {
    await call('POST', `${base()}/resubscribe`, { address });
    await reload();
  });
const columns = [
  { title: 'Email', dataIndex: 'address' },
  { title: 'Since', key: 'at' },
  { title: '', key: 'act', width: 150 },
];
</script>

<template>
  <ProblemNote v-if="error ?? problem" :problem="(error ?? problem)!" />
  <template v-if="data && data.unsubscribed.length > 0">
    <h2>Unsubscribed</h2>
    <Table
      :columns="columns"
      :data-source="data.unsubscribed"
      row-key="address"
      size="small"
      :pagination="{ pageSize: 20, showSizeChanger: false, hideOnSinglePage: true }"
    >
      <template #bodyCell="{ column, record }">
        <template v-if="column.key === 'at'">{{ showInstant(record.at) }}</template>
        <ConfirmAction
          v-else-if="column.key === 'act'"
          :title="`Resubscribe ${record.address}? Only if the recipient asked for it.`"
          ok-text="Resubscribe"
          @confirm="again(record.address)"
          ><Button size="small" :aria-label="`Resubscribe ${record.address}`">Resubscribe</Button></ConfirmAction
        >
      </template>
    </Table>
  </template>
</template>
