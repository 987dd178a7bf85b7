<script setup lang="ts">
import { Button, Empty, Table } from 'ant-design-vue';
import { ref } from 'vue';
import type { ShownTemplate } from '@underbell/core/template';
import { sendFile } from '../platform/api.ts';
import DeleteButton from '../platform/DeleteButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { capitalised, showInstant } from '../platform/format.ts';

const { data, error, isLoading, reload } = useResource<{ templates: ShownTemplate[] }>('/api/v1/workbook-templates');
const { busy, problem, attempt } = useAttempt<'load'>();
const name = ref('');
const place = ref<'table' | 'sheet'>('table');
const target = ref('');
const file = ref<File>();
const done = ref<ShownTemplate>();
const columns = [
  { title: 'Workbook', dataIndex: 'name', width: 150 },
  { title: 'Data goes to', key: 'target', width: 160 },
  { title: 'Columns', key: 'columns' },
  { title: 'Loaded', key: 'loaded', width: 230 },
];
const headings = (one: ShownTemplate, wanted: (column: ShownTemplate['summary']['columns'][number]) => boolean) =>
  one.summary.columns
    .filter(wanted)
    .map((column) => column.heading)
    .join(', ');

const load = () =>
  attempt('load', async () => {
    done.value = undefined;
    const said = { [place.value]: target.value, file: file.value!.name };
    done.value = await sendFile(
      'PUT',
      `/api/v1/workbook-templates/${encodeURIComponent(name.value)}`,
      said,
      file.value!,
      'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    );
    await reload();
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/bursts">Bursts</RouterLink></p>
  <h1>Workbook templates</h1>
  <p class="quiet">
    Upload an .xlsx file with pivot tables, charts and formulas. Each copy is filled with the recipient’s rows. Your
    sample rows are removed.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="data?.templates ?? []"
    row-key="name"
    size="small"
    :loading="isLoading"
    :pagination="false"
  >
    <template #emptyText><Empty description="No workbook yet" /></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'target'">{{
        record.target.table ? `table ${record.target.table}` : `sheet ${record.target.sheet}`
      }}</template>
      <template v-else-if="column.key === 'columns'">
        {{ headings(record as ShownTemplate, (one) => one.isHeld && !one.isComputed) }}
        <span v-if="headings(record as ShownTemplate, (one) => one.isComputed)" class="quiet"
          >&nbsp;· formulas: {{ headings(record as ShownTemplate, (one) => one.isComputed) }}</span
        >
        <span v-if="headings(record as ShownTemplate, (one) => !one.isHeld && !one.isComputed)" class="quiet"
          >&nbsp;· not filled: {{ headings(record as ShownTemplate, (one) => !one.isHeld && !one.isComputed) }}</span
        >
        <p v-for="one in (record as ShownTemplate).summary.warnings" :key="one" class="note">{{ capitalised(one) }}.</p>
      </template>
      <template v-else-if="column.key === 'loaded'">
        <a class="file" :href="`/api/v1/workbook-templates/${record.name}/file`" :download="record.fileName">{{
          record.fileName
        }}</a>, version {{ record.version }}
        <span class="quiet">{{ showInstant(record.loadedAt) }}</span>
        <DeleteButton kind="template" :name="record.name" @gone="reload" @renamed="reload" />
      </template>
    </template>
  </Table>
  <h2>Upload template</h2>
  <form class="fields" @submit.prevent="load">
    <label>Name <input v-model="name" required pattern="[a-z][a-z0-9\-]*" placeholder="quay-book" /></label>
    <label
      >Data goes to
      <select v-model="place">
        <option value="table">table</option>
        <option value="sheet">sheet (without a table)</option>
      </select>
    </label>
    <label
      >Table or sheet name <input v-model="target" required :placeholder="place === 'table' ? 'Sailings' : 'Rows'"
    /></label>
    <label
      >File (.xlsx, no macros)
      <input
        type="file"
        accept=".xlsx"
        required
        @change="file = ($event.target as HTMLInputElement).files?.[0] ?? undefined"
    /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'load'">Upload</Button>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="done" role="status">
    <b>{{ done.name }}</b>, version {{ done.version }}, is ready.
    <template v-if="done.summary.warnings.length > 0">See the notes above.</template>
  </p>
</template>

<style scoped>
.file {
  text-decoration: underline;
}
.note {
  color: var(--brass);
  margin: 0.2rem 0 0;
}
input[type='file'] {
  padding: 0.2rem;
}
</style>
