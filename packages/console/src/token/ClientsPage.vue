<script setup lang="ts">
import { Button, Empty, Popconfirm, Table } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import PeopleTabs from '../access/PeopleTabs.vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/words.ts';

interface ShownClient {
  readonly id: string;
  readonly title: string;
  readonly state: 'active' | 'revoked';
  readonly signsIn: string;
  readonly reports: readonly string[];
  readonly actions: readonly string[];
  readonly maxLifetimeSeconds: number;
  readonly mayNamePersons: boolean;
  readonly mustFilter?: readonly string[];
  readonly formerUntil?: string;
}
const { data, error, isLoading, reload } = useResource<{ clients: ShownClient[] }>('/api/v1/clients');
const { busy, problem, attempt } = useAttempt<'add' | 'secret' | 'end'>();
const columns = [
  { title: 'Program', key: 'id' },
  { title: 'Reports', key: 'reports' },
  { title: 'Its tokens', key: 'bounds' },
  { title: '', key: 'act', width: 230 },
];
const form = reactive({ id: '', title: '', reports: '', seconds: '3600' });
/** Shown once, until something else is done. */
const secret = ref<{ id: string; secret: string; formerUntil?: string }>();

const add = () =>
  attempt('add', async () => {
    secret.value = await call('POST', '/api/v1/clients', {
      id: form.id,
      title: form.title,
      reports: form.reports.split(/[\s,]+/).filter(Boolean),
      maxLifetimeSeconds: Number(form.seconds),
    });
    Object.assign(form, { id: '', title: '', reports: '' });
    await reload();
  });
const renew = (id: string) =>
  attempt('secret', async () => {
    secret.value = await call('POST', `/api/v1/clients/${encodeURIComponent(id)}/secret`, { hours: 24 });
    await reload();
  });
const end = (id: string) =>
  attempt('end', async () => {
    secret.value = undefined;
    await call('DELETE', `/api/v1/clients/${encodeURIComponent(id)}`);
    await reload();
  });
const boundWords = (one: ShownClient) =>
  [
    one.actions.join(', '),
    `${one.maxLifetimeSeconds} s at most`,
    one.mayNamePersons ? 'for people too' : '',
    one.mustFilter?.length ? `must fix ${one.mustFilter.join(', ')}` : '',
    one.formerUntil && Date.parse(one.formerUntil) > Date.now()
      ? `the secret before holds until ${showInstant(one.formerUntil)}`
      : '',
  ]
    .filter(Boolean)
    .join(' · ');
</script>

<template>
  <PeopleTabs current="programs" />
  <p class="quiet">Programs that may ask for access tokens: portals and apps that show reports of yours.</p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="secret" class="secret" role="status">
    The secret of {{ secret.id }}, shown only now: <code>{{ secret.secret }}</code>
    <template v-if="secret.formerUntil"> The one before holds until {{ showInstant(secret.formerUntil) }}.</template>
  </p>
  <Table
    :columns="columns"
    :data-source="data?.clients ?? []"
    row-key="id"
    size="small"
    :loading="isLoading"
    :pagination="false"
  >
    <template #emptyText><Empty description="No program yet" /></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'id'"
        >{{ record.title }} <span class="quiet">{{ record.id }}</span></template
      >
      <template v-else-if="column.key === 'reports'">{{ record.reports.join(', ') }}</template>
      <template v-else-if="column.key === 'bounds'">{{
        record.state === 'active' ? boundWords(record as ShownClient) : 'ended'
      }}</template>
      <template v-else-if="column.key === 'act' && record.state === 'active'">
        <Popconfirm
          v-if="record.signsIn === 'by a secret'"
          :title="`Give ${record.id} a new secret? The one before holds for a day more.`"
          ok-text="Make it"
          @confirm="renew(record.id)"
        >
          <Button class="beside" size="small" :loading="busy === 'secret'">New secret</Button>
        </Popconfirm>
        <Popconfirm :title="`End ${record.id}? Its tokens stop at once.`" ok-text="End it" @confirm="end(record.id)">
          <Button size="small" danger :loading="busy === 'end'">End it</Button>
        </Popconfirm>
      </template>
    </template>
  </Table>
  <h2>Register a program</h2>
  <form class="fields" @submit.prevent="add">
    <label>Name <input v-model="form.id" required pattern="[a-z][a-z0-9\-]*" placeholder="harbour-portal" /></label>
    <label>Title <input v-model="form.title" required placeholder="Harbour portal" /></label>
    <label>Reports <input v-model="form.reports" required placeholder="quay-punctuality, takings" /></label>
    <label>Longest life of a token, seconds <input v-model="form.seconds" required inputmode="numeric" /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'add'">Register</Button>
  </form>
</template>

<style scoped>
.beside {
  margin-right: 0.5rem;
}
.secret {
  border-left: 3px solid var(--brass);
  padding: 0.4rem 0.8rem;
}
</style>
