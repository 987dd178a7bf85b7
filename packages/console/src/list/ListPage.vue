<script setup lang="ts">
import type { ShownList } from '@underbell/core/list';
import { Alert, Button, Spin, Table } from 'ant-design-vue';
import { computed, ref, watch } from 'vue';
import { sendFile } from '../platform/api.ts';
import DeleteButton from '../platform/DeleteButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const props = defineProps<{ name: string }>();
const path = computed(() => `/api/v1/lists/${encodeURIComponent(props.name)}`);
const { data: list, error, reload } = useResource<ShownList>(path);
const { busy, problem, attempt } = useAttempt<'save'>();
type Row = { key: number; cells: Record<string, string> };
const rows = ref<Row[]>([]);
const isChanged = ref(false);
let next = 0;
const read = () => {
  rows.value = (list.value?.recipients ?? []).map((one) => ({ key: next++, cells: { ...one.values } }));
  isChanged.value = false;
};
watch(list, read);
const search = ref('');
const shown = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return wanted === ''
    ? rows.value
    : rows.value.filter(({ cells }) => Object.values(cells).some((one) => one.toLowerCase().includes(wanted)));
});
const isEdited = ref(false);
const columns = computed(() => [
  ...(list.value?.columns ?? []).map((one) => ({ title: one, key: one })),
  ...(isEdited.value ? [{ title: '', key: ' act', width: 110 }] : []),
]);
const roleOf = (column: string) => {
  const one = list.value!;
  if (column === one.idColumn) return 'identifies the recipient';
  if (column === one.addressColumn) return 'address';
  if (column === one.activeFromColumn) return 'active from';
  if (column === one.activeToColumn) return 'active to';
  const role = Object.entries(one.roles).find(([, name]) => name === column)?.[0];
  const words: Record<string, string> = { language: 'language', timeZone: 'time zone', format: 'formats' };
  return [role && words[role], one.types[column]].filter(Boolean).join(', ');
};
const set = (row: Row, column: string, text: string) => {
  row.cells[column] = text;
  isChanged.value = true;
};
function add(): void {
  search.value = '';
  rows.value = [{ key: next++, cells: Object.fromEntries(list.value!.columns.map((one) => [one, ''])) }, ...rows.value];
  isChanged.value = true;
}
function remove(row: Row): void {
  rows.value = rows.value.filter((one) => one !== row);
  isChanged.value = true;
}
const field = (text: string) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
const save = () =>
  attempt('save', async () => {
    const { columns: names, idColumn, addressColumn, activeFromColumn, activeToColumn, roles, types } = list.value!;
    const lines = [names, ...rows.value.map(({ cells }) => names.map((one) => cells[one] ?? ''))];
    const said = {
      id: idColumn,
      address: addressColumn,
      ...(activeFromColumn ? { activeFrom: activeFromColumn } : {}),
      ...(activeToColumn ? { activeTo: activeToColumn } : {}),
      ...roles,
      ...(Object.keys(types).length > 0
        ? {
            types: Object.entries(types)
              .map(([column, type]) => `${column}:${type}`)
              .join(','),
          }
        : {}),
    };
    const csv = lines.map((cells) => cells.map(field).join(',')).join('\n') + '\n';
    await sendFile('PUT', path.value, said, csv, 'text/csv');
    isEdited.value = false;
    await reload();
  });
function leave(): void {
  isEdited.value = false;
  read();
}
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/bursts">Bursts</RouterLink> › <RouterLink to="/lists">Recipient lists</RouterLink>
  </p>
  <h1>{{ name }}</h1>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!list" />
  <template v-else>
    <p class="quiet">
      {{ list.recipients.length }} recipients, version {{ list.version }} of {{ showInstant(list.loadedAt) }}.
      <template v-if="list.origin">It is read again before every preview and run. Change it at its source.</template>
      <DeleteButton kind="list" :name="name" to="/lists" />
    </p>
    <Alert
      v-if="list.skipped"
      type="warning"
      show-icon
      :message="`${list.skipped.rows} invalid ${list.skipped.rows === 1 ? 'row was' : 'rows were'} skipped`"
    >
      <template #description>
        <ul class="skipped">
          <li v-for="one in list.skipped.problems" :key="`${one.at} ${one.message}`">
            {{ one.at }}: {{ one.message }}
          </li>
        </ul>
      </template>
    </Alert>
    <div class="bar">
      <input v-model="search" type="search" placeholder="Search recipients" aria-label="Search recipients" />
      <template v-if="list.origin === null">
        <Button v-if="!isEdited" type="primary" @click="isEdited = true">Edit</Button>
        <template v-else>
          <Button @click="add">Add recipient</Button>
          <Button type="primary" :disabled="!isChanged" :loading="busy === 'save'" @click="save"
            >Check and save as version {{ list.version + 1 }}</Button
          >
          <Button @click="leave">Cancel</Button>
        </template>
      </template>
    </div>
    <ProblemNote v-if="problem" :problem="problem" />
    <Table
      :columns="columns"
      :data-source="shown"
      row-key="key"
      size="small"
      :scroll="{ x: 'max-content' }"
      :pagination="{ pageSize: 20, showSizeChanger: false, hideOnSinglePage: true }"
    >
      <template #headerCell="{ column }">
        {{ column.title }} <span v-if="column.title" class="role">{{ roleOf(String(column.key)) }}</span>
      </template>
      <template #bodyCell="{ column, record }">
        <Button v-if="column.key === ' act'" size="small" @click="remove(record as Row)">Delete row</Button>
        <input
          v-else-if="isEdited"
          class="cell"
          :value="record.cells[column.key as string]"
          :aria-label="`${String(column.key)} of ${record.cells[list.idColumn] || 'the new recipient'}`"
          @input="set(record as Row, String(column.key), ($event.target as HTMLInputElement).value)"
        />
        <template v-else>{{ record.cells[column.key as string] }}</template>
      </template>
    </Table>
  </template>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 0.8rem;
  margin: 0.6rem 0;
}
input {
  font: inherit;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.2rem 0.5rem;
}
.cell {
  width: 100%;
  min-width: 7rem;
}
.skipped {
  margin: 0;
  padding-left: 1.2rem;
  max-height: 12rem;
  overflow-y: auto;
}
.role {
  display: block;
  font-weight: 400;
  font-size: 0.8em;
  color: var(--quiet);
}
</style>
