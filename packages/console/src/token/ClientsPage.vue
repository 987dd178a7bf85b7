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
  { title: 'Client', key: 'id' },
  { title: 'Reports', key: 'reports' },
  { title: 'Tokens', key: 'bounds' },
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
    `max. ${one.maxLifetimeSeconds} s`,
    one.mayNamePersons ? 'acts for users' : '',
    one.mustFilter?.length ? `required filters: ${one.mustFilter.join(', ')}` : '',
    one.origins?.length ? `origins: ${one.origins.join(', ')}` : '',
    one.requiresProof ? 'DPoP' : '',
    one.directoryId ? `exchanges ID tokens of ${one.directoryId}` : '',
    one.formerUntil && Date.parse(one.formerUntil) > Date.now()
      ? `previous secret valid until ${showInstant(one.formerUntil)}`
      : '',
  ]
    .filter(Boolean)
    .join(' · ');
</script>

<template>
  <AccessTabs current="programs" />
  <p class="quiet">OAuth clients: portals and apps that request access tokens for your reports.</p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="secret" class="secret" role="status">
    Secret of {{ secret.id }} (shown only once): <code>{{ secret.secret }}</code>
    <template v-if="secret.formerUntil">
      The previous secret is valid until {{ showInstant(secret.formerUntil) }}.</template
    >
  </p>
  <Table
    :columns="columns"
    :data-source="data?.clients ?? []"
    row-key="id"
    size="small"
    :loading="isLoading"
    :pagination="false"
  >
    <template #emptyText><Empty description="No clients" /></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'id'"
        >{{ record.title }} <span class="quiet">{{ record.id }}</span></template
      >
      <template v-else-if="column.key === 'reports'">{{ record.reports.join(', ') }}</template>
      <template v-else-if="column.key === 'bounds'">{{
        record.state === 'active' ? boundWords(record as ShownClient) : 'revoked'
      }}</template>
      <template v-else-if="column.key === 'act' && record.state === 'active'">
        <Button class="beside" size="small" @click="edit(record as ShownClient)">Edit</Button>
        <ConfirmAction
          v-if="record.signsIn === 'by a secret'"
          :title="`Rotate the secret of “${record.id}”? The previous one stays valid for 24 hours.`"
          ok-text="Rotate secret"
          @confirm="renew(record.id)"
        >
          <Button class="beside" size="small" :loading="busy === 'secret'">Rotate secret</Button>
        </ConfirmAction>
        <ConfirmAction
          is-dangerous
          :title="`Revoke “${record.id}”? Its tokens stop working at once.`"
          ok-text="Revoke"
          @confirm="end(record.id)"
        >
          <Button size="small" danger :loading="busy === 'end'">Revoke</Button>
        </ConfirmAction>
      </template>
    </template>
  </Table>
  <h2>{{ changed ? `Edit ${changed}` : 'Create client' }}</h2>
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
    <label>Token lifetime (s) <input v-model="form.seconds" required inputmode="numeric" /></label>
    <label
      >Actions
      <select v-model="form.mayExport">
        <option :value="false">view</option>
        <option :value="true">view and export</option>
      </select></label
    >
    <label
      >Acts
      <select v-model="form.mayNamePersons">
        <option :value="false">as itself</option>
        <option :value="true">for users (their row rules apply)</option>
      </select></label
    >
    <label>Required filters (shared keys) <input v-model="form.mustFilter" placeholder="quay (default: none)" /></label>
    <label>Allowed origins <input v-model="form.origins" placeholder="https://portal.example (default: none)" /></label>
    <label
      >Token type
      <select v-model="form.requiresProof">
        <option :value="false">bearer</option>
        <option :value="true">DPoP-bound</option>
      </select></label
    >
    <label
      >Client ID at the identity provider
      <input v-model="form.directoryId" placeholder="works-app (ID tokens for it are exchanged)"
    /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'add'">{{ changed ? 'Save' : 'Create' }}</Button>
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
