<script setup lang="ts">
import { Table } from 'ant-design-vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import PeopleTabs from './PeopleTabs.vue';

interface ShownGroup {
  readonly name: string;
  readonly origin: string;
  readonly members: readonly string[];
  readonly owners: readonly string[];
}
const { data, error, isLoading } = useResource<{ groups: ShownGroup[] }>('/api/v1/groups');
const columns = [
  { title: 'Group', dataIndex: 'name' },
  { title: 'Members', key: 'members' },
  { title: 'Owners', key: 'owners' },
  { title: 'Kept', key: 'origin' },
];
const some = (all: readonly string[]) =>
  all.length <= 4 ? all.join(', ') : `${all.slice(0, 3).join(', ')} and ${all.length - 3} more`;
</script>

<template>
  <PeopleTabs current="groups" />
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
      <template v-if="column.key === 'members'">{{ some(record.members) || 'nobody yet' }}</template>
      <template v-else-if="column.key === 'owners'">{{ some(record.owners) || 'administrators' }}</template>
      <template v-else-if="column.key === 'origin'">{{
        record.origin === 'directory' ? 'by the directory' : 'here'
      }}</template>
    </template>
  </Table>
  <p class="quiet after"><code>underbell group save NAME --member ADDRESS …</code> changes who belongs to a group.</p>
</template>

<style scoped>
.after {
  margin-top: 0.8rem;
}
</style>
