<script setup lang="ts">
import type { ShownSigningKey } from '@underbell/core/token';
import { Button, Table, Tag } from 'ant-design-vue';
import { computed } from 'vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

/** The keys that access tokens are signed with; for administrators. */
const { data, error, reload } = useResource<{ keys: ShownSigningKey[] }>('/api/v1/signing-keys');
const { busy, problem, attempt } = useAttempt<string>();
const create = () =>
  attempt('create', async () => {
    await call('POST', '/api/v1/signing-keys', {});
    await reload();
  });
const remove = (id: string) =>
  attempt(id, async () => {
    await call('DELETE', `/api/v1/signing-keys/${id}`);
    await reload();
  });
const keys = computed(() => [...(data.value?.keys ?? [])]);
const state = ({ isSigning, retiredAt }: ShownSigningKey) =>
  isSigning ? 'Signing' : retiredAt !== null && Date.parse(retiredAt) < Date.now() ? 'Retired' : 'Verifying';
const columns = [
  { title: 'Key', dataIndex: 'id' },
  { title: 'Algorithm', dataIndex: 'algorithm' },
  { title: 'State', key: 'state' },
  { title: 'Created', key: 'created' },
  { title: 'Verifies until', key: 'until' },
  { title: '', key: 'act', width: 110 },
];
</script>

<template>
  <h2>Signing keys</h2>
  <p class="quiet">
    A new key signs a minute after it is created. The keys before it verify for one more day, which no token outlives.
  </p>
  <ProblemNote v-if="error ?? problem" :problem="(error ?? problem)!" />
  <Table :columns="columns" :data-source="keys" row-key="id" size="small" :pagination="false">
    <template #bodyCell="{ column, record }">
      <Tag v-if="column.key === 'state'" :color="record.isSigning ? 'green' : 'default'">{{
        state(record as ShownSigningKey)
      }}</Tag>
      <template v-else-if="column.key === 'created'">{{ showInstant(record.createdAt) }}</template>
      <template v-else-if="column.key === 'until'">{{
        record.retiredAt ? showInstant(record.retiredAt) : ''
      }}</template>
      <ConfirmAction
        v-else-if="column.key === 'act' && !record.isSigning && state(record as ShownSigningKey) !== 'Retired'"
        is-dangerous
        title="Every token that this key signed stops working at once."
        ok-text="Delete key"
        @confirm="remove(record.id)"
        ><Button size="small" danger :loading="busy === record.id" :aria-label="`Delete key ${record.id}`"
          >Delete</Button
        ></ConfirmAction
      >
    </template>
  </Table>
  <p class="more">
    <Button :loading="busy === 'create'" @click="create">Create signing key</Button>
  </p>
</template>
