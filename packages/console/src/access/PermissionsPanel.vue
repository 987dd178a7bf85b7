<script setup lang="ts">
import { Button, Checkbox, Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { rightLevels, type Right, type ShownGrant, type ThingKind } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ChoiceField from '../platform/ChoiceField.vue';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

const props = defineProps<{ kind: ThingKind; name: string }>();
const { data, error, reload } = useResource<{ grants: ShownGrant[]; own: Right }>(
  () => `/api/v1/permissions?kind=${props.kind}&name=${encodeURIComponent(props.name)}`,
);
const groups = useResource<{ groups: { name: string }[] }>('/api/v1/groups');
const people = useResource<{ people: { email: string; name: string; state: string }[] }>('/api/v1/users');
// A program reaches reports and datasets alone; who may see no program has none to give to.
const clients = useResource<{ clients: { id: string; title: string; state: string }[] }>(() =>
  ['report', 'dataset', 'folder'].includes(props.kind) ? '/api/v1/clients' : undefined,
);
// A screen reaches what is shown; who sees no group of screens has none to give to.
const screens = useResource<{ groups: { name: string; title: string }[] }>(() =>
  ['report', 'dataset', 'folder'].includes(props.kind) ? '/api/v1/screen-groups' : undefined,
);
const holder = ref<string>();
const level = ref<string | undefined>('view');
const canPassOn = ref(false);
const holders = computed(() => [
  { value: 'everyone', label: 'Everyone but guests' },
  {
    label: 'Groups',
    options: (groups.data.value?.groups ?? []).map((one) => ({ value: `group:${one.name}`, label: one.name })),
  },
  {
    label: 'Users',
    options: (people.data.value?.people ?? [])
      .filter((one) => one.state !== 'left')
      .map((one) => ({ value: `person:${one.email}`, label: `${one.name} · ${one.email}` })),
  },
  {
    label: 'Clients',
    options: (clients.data.value?.clients ?? []).map((one) => ({
      value: `client:${one.id}`,
      label: `${one.title} · ${one.id}`,
    })),
  },
  {
    label: 'Screens',
    options: (screens.data.value?.groups ?? []).map((one) => ({
      value: `screen-group:${one.name}`,
      label: `${one.title} · ${one.name}`,
    })),
  },
]);
const levels = rightLevels.map((one) => ({ value: one, label: one }));
const columns = [
  { title: 'User, group or client', key: 'who' },
  { title: 'Permission', dataIndex: 'level' },
  { title: 'On', key: 'on' },
  { title: 'Can share', key: 'passes' },
  { title: 'Granted by', dataIndex: 'givenBy' },
  { title: '', key: 'act', width: 120 },
];
const kindWords: Readonly<Record<string, string>> = {
  group: 'group ',
  client: 'client ',
  screen: 'screen ',
  'screen-group': 'screens of ',
};
const who = ({ holder }: ShownGrant) =>
  holder.kind === 'everyone' ? 'everyone but guests' : `${kindWords[holder.kind] ?? ''}${holder.name}`;
const on = ({ thing }: ShownGrant) => {
  if (thing.name === '*') return `every ${thing.kind}`;
  return thing.kind === props.kind && thing.name === props.name ? 'this item' : `${thing.kind} ${thing.name}`;
};
const { busy, problem, attempt } = useAttempt<'give' | 'take'>();
const give = () =>
  attempt('give', async () => {
    const [holderKind, ...rest] = holder.value!.split(':');
    const to = holderKind === 'everyone' ? { kind: holderKind } : { kind: holderKind, name: rest.join(':') };
    const thing = { kind: props.kind, name: props.name };
    await call('PUT', '/api/v1/permissions', { holder: to, thing, level: level.value, canPassOn: canPassOn.value });
    holder.value = undefined;
    await reload();
  });
const take = (grant: ShownGrant) =>
  attempt('take', async () => {
    await call('DELETE', `/api/v1/permissions/${grant.id}`);
    await reload();
  });
</script>

<template>
  <template v-if="!error">
    <h2>Permissions</h2>
    <p v-if="data" class="quiet">You {{ data.own.because }}.</p>
    <ProblemNote v-if="problem" :problem="problem" />
    <Table :columns="columns" :data-source="data?.grants ?? []" row-key="id" size="small" :pagination="false">
      <template #bodyCell="{ column, record }">
        <template v-if="column.key === 'who'">{{ who(record as ShownGrant) }}</template>
        <template v-else-if="column.key === 'on'">{{ on(record as ShownGrant) }}</template>
        <template v-else-if="column.key === 'passes'">{{
          record.canPassOn || record.level === 'own' ? 'yes' : 'no'
        }}</template>
        <ConfirmAction
          v-else-if="column.key === 'act'"
          is-dangerous
          :title="`Revoke this permission of ${who(record as ShownGrant) ?? ''}? Other permissions stay.`"
          ok-text="Revoke"
          @confirm="take(record as ShownGrant)"
          ><Button size="small" danger>Revoke</Button></ConfirmAction
        >
      </template>
      <template #emptyText>No direct permissions. Permissions on its folder or on all {{ kind }}s apply.</template>
    </Table>
    <form class="give" @submit.prevent="give">
      <label
        >Grant to <ChoiceField v-model:value="holder" :options="holders" placeholder="group, user or client"
      /></label>
      <label>Permission <ChoiceField v-model:value="level" :options="levels" /></label>
      <Checkbox v-model:checked="canPassOn">can share</Checkbox>
      <Button html-type="submit" :disabled="holder === undefined" :loading="busy === 'give'">Grant</Button>
    </form>
  </template>
</template>

<style scoped>
.give {
  display: flex;
  flex-wrap: wrap;
  gap: 0.9rem;
  align-items: end;
  margin-top: 0.8rem;
}
label:not(.ant-checkbox-wrapper) {
  display: grid;
  gap: 0.25rem;
  font-weight: 600;
  min-width: 14rem;
}
</style>
