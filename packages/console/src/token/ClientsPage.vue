<script setup lang="ts">
import { Button, Empty, Table } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import type { ShownClient } from '@underbell/core/token';
import AccessTabs from '../access/AccessTabs.vue';
import SigningKeys from './SigningKeys.vue';
import { useSession } from '../session/useSession.ts';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const { data, error, isLoading, reload } = useResource<{ clients: ShownClient[] }>('/api/v1/clients');
const { person } = useSession();
const { busy, problem, attempt } = useAttempt<'add' | 'secret' | 'end'>();
const columns = [
  { title: 'Program', key: 'id' },
  { title: 'Reports', key: 'reports' },
  { title: 'Its tokens', key: 'bounds' },
  { title: '', key: 'act', width: 300 },
];
const empty = {
  id: '',
  title: '',
  reports: '',
  seconds: '3600',
  mayExport: false,
  mayNamePersons: false,
  mustFilter: '',
  origins: '',
  requiresProof: false,
  directoryId: '',
};
const form = reactive({ ...empty });
/** The program that the form changes; a new one when there is none. */
const changed = ref<string>();
const words = (text: string) => text.split(/[\s,]+/).filter(Boolean);
const edit = (one: ShownClient) => {
  changed.value = one.id;
  Object.assign(form, {
    id: one.id,
    title: one.title,
    reports: one.reports.join(', '),
    seconds: String(one.maxLifetimeSeconds),
    mayExport: one.actions.includes('export'),
    mayNamePersons: one.mayNamePersons,
    mustFilter: (one.mustFilter ?? []).join(', '),
    origins: (one.origins ?? []).join(', '),
    requiresProof: one.requiresProof === true,
    directoryId: one.directoryId ?? '',
  });
};
const clear = () => {
  changed.value = undefined;
  Object.assign(form, empty);
};
/** Shown once, until something else is done. */
const secret = ref<{ id: string; secret: string; formerUntil?: string }>();

const save = () =>
  attempt('add', async () => {
    const { id, title, reports, seconds, mayExport, mayNamePersons, mustFilter, origins, requiresProof, directoryId } =
      form;
    const body = {
      title,
      reports: words(reports),
      actions: mayExport ? ['view', 'export'] : ['view'],
      maxLifetimeSeconds: Number(seconds),
      mayNamePersons,
      ...(mustFilter.trim() ? { mustFilter: words(mustFilter) } : {}),
      ...(origins.trim() ? { origins: words(origins) } : {}),
      ...(requiresProof ? { requiresProof } : {}),
      ...(directoryId.trim() ? { directoryId: directoryId.trim() } : {}),
    };
    secret.value = undefined;
    if (changed.value) await call('PUT', `/api/v1/clients/${encodeURIComponent(changed.value)}`, body);
    else secret.value = await call('POST', '/api/v1/clients', { id, ...body });
    clear();
    await reload();
  });
const renew = (id: string) =>
  attempt('secret', async () => {
    secret.value = await call('POST', `/api/v1/clients/${encodeURIComponent(id)}/rotate-secret`, { hours: 24 });
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
    one.origins?.length ? `in pages of ${one.origins.join(', ')}` : '',
    one.requiresProof ? 'bound to a key' : '',
    one.directoryId ? `exchanges ID tokens of ${one.directoryId}` : '',
    one.formerUntil && Date.parse(one.formerUntil) > Date.now()
      ? `the secret before holds until ${showInstant(one.formerUntil)}`
      : '',
  ]
    .filter(Boolean)
    .join(' · ');
</script>

<template>
  <AccessTabs current="programs" />
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
        <Button class="beside" size="small" @click="edit(record as ShownClient)">Change</Button>
        <ConfirmAction
          v-if="record.signsIn === 'by a secret'"
          :title="`Give ${record.id} a new secret? The one before holds for a day more.`"
          ok-text="Make it"
          @confirm="renew(record.id)"
        >
          <Button class="beside" size="small" :loading="busy === 'secret'">New secret</Button>
        </ConfirmAction>
        <ConfirmAction
          is-dangerous
          :title="`End ${record.id}? Its tokens stop at once.`"
          ok-text="End it"
          @confirm="end(record.id)"
        >
          <Button size="small" danger :loading="busy === 'end'">End it</Button>
        </ConfirmAction>
      </template>
    </template>
  </Table>
  <h2>{{ changed ? `Change ${changed}` : 'Register a program' }}</h2>
  <form class="fields" @submit.prevent="save">
    <label
      >Name
      <input
        v-model="form.id"
        required
        :disabled="changed !== undefined"
        pattern="[a-z][a-z0-9\-]*"
        placeholder="harbour-portal"
    /></label>
    <label>Title <input v-model="form.title" required placeholder="Harbour portal" /></label>
    <label>Reports <input v-model="form.reports" required placeholder="quay-punctuality, takings" /></label>
    <label>Longest life of a token, seconds <input v-model="form.seconds" required inputmode="numeric" /></label>
    <label
      >Its tokens
      <select v-model="form.mayExport">
        <option :value="false">view</option>
        <option :value="true">view and export</option>
      </select></label
    >
    <label
      >It speaks
      <select v-model="form.mayNamePersons">
        <option :value="false">for itself alone</option>
        <option :value="true">for people too, under their row rules</option>
      </select></label
    >
    <label>Keys that each token must fix <input v-model="form.mustFilter" placeholder="quay; none when empty" /></label>
    <label
      >Pages that may show it <input v-model="form.origins" placeholder="https://portal.example; no page when empty"
    /></label>
    <label
      >Its tokens are
      <select v-model="form.requiresProof">
        <option :value="false">good for whoever holds them</option>
        <option :value="true">bound to a key of the program (DPoP)</option>
      </select></label
    >
    <label
      >The directory knows it as
      <input v-model="form.directoryId" placeholder="works-app; then ID tokens for it are exchanged"
    /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'add'">{{ changed ? 'Save' : 'Register' }}</Button>
    <Button v-if="changed" @click="clear">Cancel</Button>
  </form>
  <SigningKeys v-if="person?.isAdministrator" />
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
