<script setup lang="ts">
import { Button, Input, Popconfirm, Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { useSession } from '../session/useSession.ts';
import InviteForm from './InviteForm.vue';
import PeopleTabs from './PeopleTabs.vue';
import PersonForm from './PersonForm.vue';

interface ShownPerson {
  readonly email: string;
  readonly name: string;
  readonly state: 'invited' | 'active' | 'guest' | 'left';
  readonly organisation: string | null;
  readonly origin: 'here' | 'directory';
  readonly isAdministrator: boolean;
  readonly groups: readonly string[];
  readonly attributes: Readonly<Record<string, readonly string[]>>;
}

const { person: self } = useSession();
const { data, error, isLoading, reload } = useResource<{ people: ShownPerson[] }>('/api/v1/people');
const wanted = ref('');
const isInviting = ref(false);
const shown = computed(() => {
  const word = wanted.value.trim().toLowerCase();
  const all = data.value?.people ?? [];
  return word === '' ? all : all.filter((one) => JSON.stringify(one).toLowerCase().includes(word));
});
const columns = [
  { title: 'Name', key: 'name' },
  { title: 'State', key: 'state', width: 190 },
  { title: 'Groups', key: 'groups' },
  { title: 'Attributes', key: 'attributes' },
  { title: '', key: 'act', width: 190 },
];
const stateWords = (one: ShownPerson) =>
  [
    one.state === 'guest'
      ? `guest, ${one.organisation ?? 'another organisation'}`
      : one.state === 'left'
        ? 'has left'
        : one.state,
    one.isAdministrator ? 'administrator' : '',
    one.origin === 'directory' ? 'kept by the directory' : '',
  ]
    .filter(Boolean)
    .join(', ');
const attributeWords = (one: ShownPerson) =>
  Object.entries(one.attributes)
    .map(([name, values]) => `${name} ${values.join(', ')}`)
    .join(' · ');
const { problem, attempt } = useAttempt();
const setState = (one: ShownPerson, state: 'active' | 'guest' | 'left') =>
  attempt('work', async () => {
    await call('PUT', `/api/v1/people/${encodeURIComponent(one.email)}`, { state });
    await reload();
  });
const changing = ref<ShownPerson>();
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
  <PeopleTabs current="people" />
  <ProblemNote v-if="error" :problem="error" />
  <template v-else>
    <div class="bar">
      <Input
        v-model:value="wanted"
        placeholder="Find a name, group or attribute"
        allow-clear
        aria-label="Find people"
        class="find"
      />
      <Button type="primary" @click="isInviting = !isInviting">Invite somebody</Button>
    </div>
    <InviteForm v-if="isInviting" @invited="invited" @closed="isInviting = false" />
    <PersonForm
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
        <template v-else-if="column.key === 'state'">{{ stateWords(record as ShownPerson) }}</template>
        <template v-else-if="column.key === 'groups'">{{ record.groups.join(', ') }}</template>
        <template v-else-if="column.key === 'attributes'">{{ attributeWords(record as ShownPerson) }}</template>
        <template
          v-else-if="
            column.key === 'act' && self?.isAdministrator && record.origin === 'here' && record.email !== self.email
          "
        >
          <Button class="beside" size="small" @click="changing = record as ShownPerson">Change</Button>
          <Popconfirm
            v-if="record.state !== 'left'"
            title="Signed out everywhere at once; tokens that name this person stop. Their rights stay, for when they come back."
            ok-text="Has left"
            @confirm="setState(record as ShownPerson, 'left')"
            ><Button size="small" danger>Has left</Button></Popconfirm
          >
          <Button v-else size="small" @click="setState(record as ShownPerson, record.organisation ? 'guest' : 'active')"
            >Is back</Button
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
