<script setup lang="ts">
import { Button, Empty, Table } from 'ant-design-vue';
import { computed, reactive, ref } from 'vue';
import { accessKinds, type ActiveAccess, type OpenDoors } from '@underbell/core/activeAccess';
import AccessTabs from '../access/AccessTabs.vue';
import { call } from '../platform/api.ts';
import PublicSwitch from '../placement/PublicSwitch.vue';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';
import { useSession } from '../session/useSession.ts';

/** Everything that was handed out and still opens something, on one list. */
const { person } = useSession();
const form = reactive({ kind: '', person: '', of: '', olderThanDays: '', unusedDays: '' });
const query = computed(() => {
  const said = Object.entries(form)
    .map(([name, value]) => [name, String(value).trim()] as const)
    .filter(([, value]) => value !== '');
  return new URLSearchParams(said.map(([name, value]) => [name, value])).toString();
});
const path = computed(() => `/api/v1/active-access${query.value === '' ? '' : `?${query.value}`}`);
const { data, error, isLoading, reload } = useResource<OpenDoors>(path);
const doors = computed(() => [...(data.value?.open ?? [])]);
const keyOf = (one: ActiveAccess) => `${one.kind} ${one.id}`;
const chosen = ref<string[]>([]);
const meant = computed(() => doors.value.filter((one) => one.mayEnd && chosen.value.includes(keyOf(one))));
const { busy, problem, attempt } = useAttempt<'end'>();
const said = ref<readonly string[]>([]);
const end = () =>
  attempt('end', async () => {
    const body = { doors: meant.value.map(({ kind, id }) => ({ kind, id })) };
    const answer = await call<{ ended: number; problems: { kind: string; id: string; message: string }[] }>(
      'POST',
      '/api/v1/active-access/revoke',
      body,
    );
    said.value = [`${answer.ended} revoked.`, ...answer.problems.map((one) => `${one.kind} ${one.id}: ${one.message}`)];
    chosen.value = [];
    await reload();
  });
const columns = [
  { title: 'Type', key: 'what' },
  { title: 'For', dataIndex: 'to', width: 220 },
  { title: 'Filters', dataIndex: 'limits' },
  { title: 'Created', key: 'made', width: 180 },
  { title: 'Last used', key: 'used', width: 150 },
  { title: 'Expires', key: 'ends', width: 150 },
];
const selection = computed(() => ({
  selectedRowKeys: chosen.value,
  onChange: (keys: (string | number)[]) => (chosen.value = keys.map(String)),
  getCheckboxProps: (one: ActiveAccess) => ({ disabled: !one.mayEnd, 'aria-label': `Select ${one.kind} ${one.title}` }),
  columnTitle: ' ',
}));
const consequences = computed(() => [...new Set(meant.value.map((one) => `${one.kind}: ${one.ending}`))]);
</script>

<template>
  <AccessTabs current="open" />
  <h2>Active access</h2>
  <p class="quiet">
    Everything that gives access: tokens, clients, placements, invitations, links, feeds, webhooks. Administrators see
    all, others their own.
  </p>
  <PublicSwitch v-if="person?.isAdministrator" @changed="reload" />
  <form class="fields" @submit.prevent="reload">
    <label
      >Type
      <select v-model="form.kind">
        <option value="">all types</option>
        <option v-for="one in accessKinds" :key="one" :value="one">{{ one }}</option>
      </select>
    </label>
    <label>For or by <input v-model.lazy="form.person" placeholder="email or name" /></label>
    <label>Item <input v-model.lazy="form.of" placeholder="report punctuality" /></label>
    <label>Older than (days) <input v-model.lazy="form.olderThanDays" type="number" min="0" /></label>
    <label>Unused for (days) <input v-model.lazy="form.unusedDays" type="number" min="0" /></label>
  </form>
  <p class="more">
    <ConfirmAction is-dangerous :disabled="meant.length === 0" ok-text="Revoke" @confirm="end">
      <template #title>
        <p v-for="one in consequences" :key="one">{{ one }}</p>
      </template>
      <Button danger :disabled="meant.length === 0" :loading="busy === 'end'"
        >Revoke {{ meant.length === 0 ? 'selected' : showCount(meant.length) }}</Button
      >
    </ConfirmAction>
    <Button :disabled="doors.length === 0" @click="chosen = doors.filter((one) => one.mayEnd).map(keyOf)"
      >Select all matches</Button
    >
    <a :href="`/api/v1/active-access?${query}${query === '' ? '' : '&'}format=csv`" download="active-access.csv"
      >Export CSV</a
    >
  </p>
  <p v-for="one in said" :key="one" role="status">{{ one }}</p>
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="data?.failed" role="alert">Not listed: {{ data.failed.join(', ') }}. Try again, or see the service log.</p>
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="doors"
    :row-key="keyOf"
    :row-selection="selection"
    size="small"
    :loading="isLoading"
    :pagination="doors.length > 50 ? { pageSize: 50 } : false"
    :scroll="{ x: 1080 }"
  >
    <template #emptyText><Empty description="No matches" /></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'what'">
        <b>{{ record.title }}</b> <span class="quiet kind">{{ record.kind }}</span><template v-if="record.of"
          ><br />{{ record.of.kind }} {{ record.of.name }}</template
        >
      </template>
      <template v-else-if="column.key === 'made'">
        {{ record.madeAt ? showInstant(record.madeAt) : '' }}
        <span v-if="record.madeBy" class="quiet">by {{ record.madeBy }}</span>
      </template>
      <template v-else-if="column.key === 'used'">
        {{ record.lastUsedAt ? showInstant(record.lastUsedAt) : '' }}
      </template>
      <template v-else-if="column.key === 'ends'">
        <template v-if="record.endsAt">{{ showInstant(record.endsAt) }}</template>
        <span v-else class="quiet">{{ record.mayEnd ? 'never' : record.ending }}</span>
      </template>
    </template>
  </Table>
</template>

<style scoped>
.kind {
  margin-left: 0.4rem;
}
.more {
  align-items: center;
  margin-bottom: 0.8rem;
}
</style>
