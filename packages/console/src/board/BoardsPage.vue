<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ListedBoard } from '@underbell/core/board';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const router = useRouter();
const { data, error, isLoading } = useResource<{ boards: ListedBoard[] }>('/api/v1/boards');
const { busy, problem, attempt } = useAttempt();
const title = ref('');
const make = () =>
  attempt('work', async () => {
    const name = title.value
      .normalize('NFKD')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 60);
    await call('PUT', '/api/v1/boards', {
      definition: { format: 'underbell-board/1', name, title: title.value.trim(), figures: [] },
    });
    await router.push(`/boards/${name}`);
  });
const columns = [
  { title: 'Board', key: 'title' },
  { title: 'Figures', dataIndex: 'figures', align: 'right' as const, width: 90 },
  { title: 'Changed', key: 'changed', width: 300 },
];
</script>

<template>
  <h1>Boards</h1>
  <p class="quiet">A board shows figures from several reports. Permissions, row rules and masks apply.</p>
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="data?.boards ?? []"
    row-key="name"
    :loading="isLoading"
    :pagination="false"
  >
    <template #emptyText><span class="quiet">No boards.</span></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'title'">
        <RouterLink :to="`/boards/${record.name}`">{{ record.title }}</RouterLink> &nbsp;<code class="quiet">{{
          record.name
        }}</code
        ><br />
        <span class="quiet">{{ record.description }}</span>
      </template>
      <template v-else-if="column.key === 'changed'"
        >{{ showInstant(record.changedAt) }} by {{ record.changedBy }}</template
      >
    </template>
  </Table>
  <h2>Create board</h2>
  <ProblemNote v-if="problem" :problem="problem" />
  <form class="make" @submit.prevent="make">
    <label>Title <input v-model="title" required maxlength="200" /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'work'">Create board</Button>
  </form>
</template>

<style scoped>
.make {
  display: flex;
  flex-wrap: wrap;
  gap: 0.8rem;
  align-items: center;
}
input {
  max-width: 100%;
  font: inherit;
  height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
  width: 20rem;
}
</style>
