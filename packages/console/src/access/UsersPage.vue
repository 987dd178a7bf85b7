<script setup lang="ts">
import { Button, Input, Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import type { ListedPerson } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { useSession } from '../session/useSession.ts';
import InviteForm from './InviteForm.vue';
import InviteMany from './InviteMany.vue';
import AccessTabs from './AccessTabs.vue';
import UserForm from './UserForm.vue';

const { person: self } = useSession();
const { data, error, isLoading, reload } = useResource<{ people: ListedPerson[] }>('/api/v1/users');
const wanted = ref('');
const isInviting = ref(false);
const isInvitingMany = ref(false);
const shown = computed(() => {
  const word = wanted.value.trim().toLowerCase();
  const all = data.value?.people ?? [];
  return word === '' ? all : all.filter((one) => JSON.stringify(one).toLowerCase().includes(word));
});
const columns = [
  { title: 'Name', key: 'name' },
  { title: 'Status', key: 'state', width: 190 },
  { title: 'Groups', key: 'groups' },
  { title: 'Attributes', key: 'attributes' },
  { title: '', key: 'act', width: 190 },
];
const stateWords = (one: ListedPerson) =>
  [
    one.state === 'guest'
      ? `guest, ${one.organisation ?? 'another organisation'}`
      : one.state === 'left'
        ? 'deactivated'
        : one.state,
    one.isAdministrator ? 'administrator' : '',
    one.origin === 'directory' ? 'managed by identity provider' : '',
  ]
    .filter(Boolean)
    .join(', ');
const attributeWords = (one: ListedPerson) =>
  Object.entries(one.attributes)
    .map(([name, values]) => `${name} ${values.join(', ')}`)
    .join(' · ');
const { problem, attempt } = useAttempt();
const setState = (one: ListedPerson, state: 'active' | 'guest' | 'left') =>
  attempt('work', async () => {
    await call('PUT', `/api/v1/users/${encodeURIComponent(one.email)}`, { state });
    await reload();
  });
const changing = ref<ListedPerson>();
async function changed(): Promise<void> {
  changing.value = undefined;
  await reload();
}
async function invited(): Promise<void> {
  isInviting.value = false;
  await reload();
}
</script>

<template>
  <AccessTabs current="people" />
  <ProblemNote v-if="error" :problem="error" />
  <template v-else>
    <div class="bar">
      <Input
        v-model:value="wanted"
        placeholder="Search name, group or attribute"
        allow-clear
        aria-label="Search users"
        class="find"
      />
      <span>
        <Button v-if="self?.isAdministrator" class="beside" @click="isInvitingMany = !isInvitingMany"
          >Invite many</Button
        >
        <Button type="primary" @click="isInviting = !isInviting">Invite user</Button>
      </span>
    </div>
    <InviteMany v-if="isInvitingMany" @invited="reload" @closed="isInvitingMany = false" />
    <InviteForm v-if="isInviting" @invited="invited" @closed="isInviting = false" />
    <UserForm
      v-if="changing"
      :key="changing.email"
      :person="changing"
      @changed="changed"
      @closed="changing = undefined"
    />
    <ProblemNote v-if="problem" :problem="problem" />
    <Table
      :columns="columns"
      :data-source="shown"
      row-key="email"
      size="small"
      :loading="isLoading"
      :pagination="{ pageSize: 15, showSizeChanger: false, hideOnSinglePage: true }"
    >
      <template #bodyCell="{ column, record }">
        <template v-if="column.key === 'name'"
          >{{ record.name }} <span class="quiet">{{ record.email }}</span></template
        >
        <template v-else-if="column.key === 'state'">{{ stateWords(record as ListedPerson) }}</template>
        <template v-else-if="column.key === 'groups'">{{ record.groups.join(', ') }}</template>
        <template v-else-if="column.key === 'attributes'">{{ attributeWords(record as ListedPerson) }}</template>
        <template
          v-else-if="
            column.key === 'act' && self?.isAdministrator && record.origin === 'here' && record.email !== self.email
          "
        >
          <Button class="beside" size="small" @click="changing = record as ListedPerson">Edit</Button>
          <ConfirmAction
            v-if="record.state !== 'left'"
            is-dangerous
            title="Deactivate this user? Sessions and tokens end now. Permissions are kept."
            ok-text="Deactivate"
            @confirm="setState(record as ListedPerson, 'left')"
            ><Button size="small" danger>Deactivate</Button></ConfirmAction
          >
          <Button
            v-else
            size="small"
            @click="setState(record as ListedPerson, record.organisation ? 'guest' : 'active')"
            >Reactivate</Button
          >
        </template>
      </template>
    </Table>
  </template>
</template>

<style scoped>
.beside {
  margin-right: 0.5rem;
}
.bar {
  display: flex;
  gap: 1rem;
  justify-content: space-between;
  margin: 0.8rem 0;
}
.find {
  max-width: 24rem;
}
</style>
