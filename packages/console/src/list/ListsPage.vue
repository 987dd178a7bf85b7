<script setup lang="ts">
import type { ListedList } from '@underbell/core/list';
import { Button, Checkbox, Empty, Table } from 'ant-design-vue';
import { computed, reactive, ref } from 'vue';
import { useRouter } from 'vue-router';
import { dateOrders, fileEncodings, fileSeparators, toFieldName } from '@underbell/core/dataset';
import { call, sendFile } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const { data, error, isLoading } = useResource<{ lists: ListedList[] }>('/api/v1/lists');
const { busy, problem, attempt } = useAttempt<'load'>();
const router = useRouter();
const columns = [
  { title: 'List', key: 'name' },
  { title: 'Comes from', key: 'origin' },
  { title: 'Recipients', dataIndex: 'recipients', align: 'right' as const, width: 110 },
  { title: 'Loaded', key: 'loaded', width: 260 },
];
const originWords = ({ origin }: ListedList) =>
  origin === null ? 'a file' : 'dataset' in origin ? `the dataset ${origin.dataset}` : `the group ${origin.group}`;

const form = reactive({
  name: '',
  from: 'file',
  dataset: '',
  where: '',
  group: '',
  each: '',
  encoding: '',
  separator: '',
  dates: '',
  isSkipping: false,
});
/** Which column is what; what is left empty stays as it was for a list that is known. */
const roles = reactive({ id: '', address: '', activeFrom: '', activeTo: '', language: '', timeZone: '', format: '' });
const roleLabels: Readonly<Record<keyof typeof roles, string>> = {
  id: 'Column that names a recipient',
  address: 'Column with the address',
  activeFrom: 'Column with the first day',
  activeTo: 'Column with the last day',
  language: 'Column with the language',
  timeZone: 'Column with the time zone',
  format: 'Column with the formats',
};
const roleHints: Partial<Record<keyof typeof roles, string>> = { id: 'the address', address: 'email' };
const writing = [
  { what: 'separator', label: 'Cells parted by', values: fileSeparators },
  { what: 'encoding', label: 'Text written as', values: fileEncodings },
  { what: 'dates', label: 'Dates', values: dateOrders },
] as const;
const file = ref<File>();
const heading = ref<string[]>([]);
/** The columns of a CSV file can be chosen from; those of a workbook are written. */
async function pick(chosen: File | undefined): Promise<void> {
  file.value = chosen;
  const isBook = chosen?.name.toLowerCase().endsWith('.xlsx') ?? true;
  const first = isBook ? '' : ((await chosen!.slice(0, 20_000).text()).split(/\r?\n/)[0] ?? '');
  heading.value = first.split(/[,;\t|]/).map((one) => toFieldName(one.replace(/^\uFEFF|^"|"$/g, '').trim()));
}
const hasHeading = computed(() => heading.value.length > 1);

const load = () =>
  attempt('load', async () => {
    const path = `/api/v1/lists/${encodeURIComponent(form.name)}`;
    const said = {
      ...Object.fromEntries(Object.entries(roles).filter(([, column]) => column !== '')),
      ...(form.isSkipping ? { invalidRows: 'skip' } : {}),
    };
    if (form.from === 'file') {
      const { encoding, separator, dates } = form;
      const written = Object.entries({ encoding, separator, dates }).filter(([, value]) => value !== '');
      const query = { file: file.value!.name, ...said, ...Object.fromEntries(written) };
      await sendFile('PUT', path, query, file.value!);
    } else {
      const from =
        form.from === 'dataset'
          ? { dataset: form.dataset, ...(form.where ? { where: form.where } : {}) }
          : { group: form.group, ...(form.each ? { each: form.each } : {}) };
      await call('PUT', `${path}/source`, { ...said, from });
    }
    await router.push(`/lists/${form.name}`);
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/bursts">Sending</RouterLink></p>
  <h1>Recipient lists</h1>
  <p class="quiet">
    Who gets a copy, at which address, and the values that cut it out. Every change is a new version; a run keeps the
    one that it was planned from. A list keeps what was said about its columns; what you say when you load it again goes
    over that.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="data?.lists ?? []"
    row-key="name"
    :loading="isLoading"
    :pagination="false"
  >
    <template #emptyText><Empty description="No list yet" /></template>
    <template #bodyCell="{ column, record }">
      <RouterLink v-if="column.key === 'name'" :to="`/lists/${record.name}`">{{ record.name }}</RouterLink>
      <template v-else-if="column.key === 'origin'">{{ originWords(record as ListedList) }}</template>
      <template v-else-if="column.key === 'loaded'"
        >version {{ record.version }} <span class="quiet">{{ showInstant(record.loadedAt) }}</span></template
      >
    </template>
  </Table>
  <h2>Load a list</h2>
  <form class="fields" @submit.prevent="load">
    <label>Name <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" placeholder="quay-managers" /></label>
    <label
      >From
      <select v-model="form.from">
        <option value="file">a file: CSV, JSON Lines or a workbook’s first sheet</option>
        <option value="dataset">a dataset, read anew before every run</option>
        <option value="group">a group of people, read anew before every run</option>
      </select></label
    >
    <label v-if="form.from === 'file'"
      >File
      <input
        type="file"
        accept=".csv,.txt,.jsonl,.ndjson,.xlsx"
        required
        @change="pick(($event.target as HTMLInputElement).files?.[0] ?? undefined)"
    /></label>
    <template v-else-if="form.from === 'dataset'">
      <label>Dataset <input v-model="form.dataset" required placeholder="staff" /></label>
      <label>Rows where <input v-model="form.where" placeholder="role = 'manager'" /></label>
    </template>
    <template v-else>
      <label>Group <input v-model="form.group" required placeholder="District leads" /></label>
      <label>A row for each value of <input v-model="form.each" placeholder="district" /></label>
    </template>
    <label v-for="(label, role) in roleLabels" :key="role"
      >{{ label }}
      <select v-if="hasHeading" v-model="roles[role]">
        <option value="">{{ roleHints[role] ?? 'none' }}</option>
        <option v-for="one in heading" :key="one" :value="one">{{ one }}</option>
      </select>
      <input v-else v-model="roles[role]" :placeholder="roleHints[role] ?? 'none'"
    /></label>
    <template v-if="form.from === 'file'">
      <label v-for="one in writing" :key="one.what"
        >{{ one.label }}
        <select v-model="form[one.what]">
          <option value="">as found</option>
          <option v-for="value in one.values" :key="value">{{ value }}</option>
        </select></label
      >
    </template>
    <Checkbox v-model:checked="form.isSkipping">Skip invalid rows</Checkbox>
    <Button type="primary" html-type="submit" :loading="busy === 'load'">Check and load</Button>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
</template>

<style scoped>
input[type='file'] {
  padding: 0.2rem;
}
</style>
