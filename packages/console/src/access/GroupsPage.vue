<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { computed, reactive, ref } from 'vue';
import type { ShownGroup } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import MembersDrawer from './MembersDrawer.vue';
import AccessTabs from './AccessTabs.vue';

const { data, error, isLoading, reload } = useResource<{ groups: ShownGroup[] }>('/api/v1/groups');
const columns = [
  { title: 'Group', dataIndex: 'name' },
  { title: 'Members', key: 'members' },
  { title: 'Owners', key: 'owners' },
  { title: 'Managed by', key: 'origin' },
  { title: '', key: 'act', width: 360 },
];
const { busy, problem, attempt } = useAttempt<'save' | 'remove'>();
const form = reactive({ name: '', members: '', owners: '' });
const addresses = (text: string) => text.split(/[\s,;]+/).filter(Boolean);
const edit = ({ name, members, owners }: ShownGroup) =>
  Object.assign(form, { name, members: members.join(', '), owners: owners.join(', ') });
const save = () =>
  attempt('save', async () => {
    const body = { members: addresses(form.members), owners: addresses(form.owners) };
    await call('PUT', `/api/v1/groups/${encodeURIComponent(form.name.trim())}`, body);
    Object.assign(form, { name: '', members: '', owners: '' });
    await reload();
  });
const remove = (name: string) =>
  attempt('remove', async () => {
    await call('DELETE', `/api/v1/groups/${encodeURIComponent(name)}`);
    await reload();
  });
/** Whose members are shown. */
const opened = ref<string>();
const group = computed(() => data.value?.groups.find((one) => one.name === opened.value));
const some = (all: readonly string[]) =>
  all.length <= 4 ? all.join(', ') : `${all.slice(0, 3).join(', ')} and ${all.length - 3} more`;
</script>

<template>
  <AccessTabs current="groups" />
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="data?.groups ?? []"
    row-key="name"
    size="small"
    :loading="isLoading"
    :pagination="false"
  >
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'members'">{{ some(record.members) || 'no members' }}</template>
      <template v-else-if="column.key === 'owners'">{{ some(record.owners) || 'administrators' }}</template>
      <template v-else-if="column.key === 'origin'">{{
        record.origin === 'directory' ? 'Identity provider' : 'Under Bell'
      }}</template>
      <template v-else-if="column.key === 'act' && record.origin === 'here'">
        <Button class="beside" size="small" :aria-label="`Members of ${record.name}`" @click="opened = record.name"
          >Members</Button
        >
        <Button class="beside" size="small" @click="edit(record as ShownGroup)">Edit</Button>
        <Rename class="beside" path="/api/v1/groups" pattern=".{1,100}" :name="record.name" @renamed="reload" />
        <ConfirmAction
          is-dangerous
          :title="`Delete group “${record.name}”? Not possible while a permission, row rule or mask uses it.`"
          ok-text="Delete"
          @confirm="remove(record.name)"
        >
          <Button size="small" danger :loading="busy === 'remove'">Delete</Button>
        </ConfirmAction>
      </template>
    </template>
  </Table>
  <MembersDrawer v-if="group" :group="group" @changed="reload" @closed="opened = undefined" />
  <h2>Create or edit a group</h2>
  <p class="quiet">
    The group has exactly these members. Owners can edit it; add them as members too if they belong to it.
  </p>
  <ProblemNote v-if="problem" :problem="problem" />
  <form class="fields" @submit.prevent="save">
    <label>Name <input v-model="form.name" required placeholder="District leads" /></label>
    <label class="wide">Members <input v-model="form.members" placeholder="emails, separated by commas" /></label>
    <label class="wide"
      >Owners <input v-model="form.owners" placeholder="emails; administrators can always edit"
    /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'save'">Save</Button>
  </form>
</template>

<style scoped>
.beside {
  margin-right: 0.5rem;
}
</style>
