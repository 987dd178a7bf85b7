<script setup lang="ts">
import { Button, Drawer, Input, Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import type { ListedPerson, ShownGroup } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import SelectField from '../platform/SelectField.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** Adds members to a group and removes others, one by one. */
const props = defineProps<{ group: ShownGroup }>();
const emit = defineEmits<{ changed: [group: ShownGroup]; closed: [] }>();
const people = useResource<{ people: ListedPerson[] }>('/api/v1/users');
const wanted = ref('');
const chosen = ref<string[]>([]);
const { busy, problem, attempt } = useAttempt<string>();
const nameOf = computed(() => new Map((people.data.value?.people ?? []).map((one) => [one.email, one.name])));
const rows = computed(() => {
  const word = wanted.value.trim().toLowerCase();
  return props.group.members
    .map((email) => ({ email, name: nameOf.value.get(email) ?? '' }))
    .filter((one) => `${one.email} ${one.name}`.toLowerCase().includes(word));
});
const others = computed(() =>
  (people.data.value?.people ?? [])
    .filter((one) => one.state !== 'left' && !props.group.members.includes(one.email))
    .map((one) => ({ value: one.email, label: `${one.name} · ${one.email}` })),
);
const change = (what: string, body: { add?: string[]; remove?: string[] }) =>
  attempt(what, async () => {
    const path = `/api/v1/groups/${encodeURIComponent(props.group.name)}/members`;
    emit('changed', await call<ShownGroup>('POST', path, body));
    chosen.value = [];
  });
const columns = [
  { title: 'Member', key: 'name' },
  { title: '', key: 'act', width: 110 },
];
</script>

<template>
  <Drawer open :title="`Members of ${group.name}`" :width="520" @close="emit('closed')">
    <div class="add">
      <SelectField
        v-model:value="chosen"
        mode="multiple"
        :options="others"
        option-filter-prop="label"
        placeholder="Search users"
        aria-label="Users to add"
        :loading="people.isLoading.value"
      />
      <Button
        type="primary"
        :disabled="chosen.length === 0"
        :loading="busy === 'add'"
        @click="change('add', { add: chosen })"
        >Add</Button
      >
    </div>
    <ProblemNote v-if="problem" :problem="problem" />
    <Input v-model:value="wanted" placeholder="Search members" allow-clear aria-label="Search members" />
    <Table
      :columns="columns"
      :data-source="rows"
      row-key="email"
      size="small"
      :pagination="{ pageSize: 15, showSizeChanger: false, hideOnSinglePage: true }"
    >
      <template #emptyText>No members</template>
      <template #bodyCell="{ column, record }">
        <template v-if="column.key === 'name'"
          >{{ record.name }} <span class="quiet">{{ record.email }}</span></template
        >
        <Button
          v-else
          size="small"
          :loading="busy === record.email"
          :aria-label="`Remove ${record.email}`"
          @click="change(record.email, { remove: [record.email] })"
          >Remove</Button
        >
      </template>
    </Table>
  </Drawer>
</template>

<style scoped>
.add {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0.5rem;
  margin-bottom: 1rem;
}
</style>
