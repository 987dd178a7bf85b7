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
  { title: 'Source', key: 'origin' },
  { title: 'Recipients', dataIndex: 'recipients', align: 'right' as const, width: 110 },
  { title: 'Loaded', key: 'loaded', width: 260 },
];
const originWords = ({ origin }: ListedList) =>
  origin === null ? 'a file' : 'dataset' in origin ? `dataset ${origin.dataset}` : `group ${origin.group}`;

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
  id: 'Recipient column',
  address: 'Email column',
  activeFrom: 'First day column',
  activeTo: 'Last day column',
  language: 'Language column',
  timeZone: 'Time zone column',
  format: 'Formats column',
};
const roleHints: Partial<Record<keyof typeof roles, string>> = { id: 'email', address: 'email' };
const writing = [
  { what: 'separator', label: 'Separator', values: fileSeparators },
  { what: 'encoding', label: 'Encoding', values: fileEncodings },
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
  <p class="crumbs"><RouterLink to="/bursts">Bursts</RouterLink></p>
  <h1>Recipient lists</h1>
  <p class="quiet">
    Recipients, their emails and the values for their filters. Every change is a new version; a run uses the version of
    its preview. Column settings are kept when you upload again.
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
    <template #emptyText><Empty description="No lists" /></template>
    <template #bodyCell="{ column, record }">
      <RouterLink v-if="column.key === 'name'" :to="`/lists/${record.name}`">{{ record.name }}</RouterLink>
      <template v-else-if="column.key === 'origin'">{{ originWords(record as ListedList) }}</template>
      <template v-else-if="column.key === 'loaded'"
        >version {{ record.version }} <span class="quiet">{{ showInstant(record.loadedAt) }}</span></template
      >
    </template>
  </Table>
  <h2>Create or update a list</h2>
  <form class="fields" @submit.prevent="load">
    <label>Name <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" placeholder="quay-managers" /></label>
    <label
      >Source
      <select v-model="form.from">
        <option value="file">file: CSV, JSON Lines or the first sheet of an .xlsx file</option>
        <option value="dataset">dataset, read before every run</option>
        <option value="group">group of users, read before every run</option>
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
      <label>Filter <input v-model="form.where" placeholder="role = 'manager'" /></label>
    </template>
    <template v-else>
      <label>Group <input v-model="form.group" required placeholder="District leads" /></label>
      <label>One row per value of <input v-model="form.each" placeholder="district" /></label>
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
          <option value="">detected</option>
          <option v-for="value in one.values" :key="value">{{ value }}</option>
        </select></label
      >
    </template>
    <Checkbox v-model:checked="form.isSkipping">Skip invalid rows</Checkbox>
    <Button type="primary" html-type="submit" :loading="busy === 'load'">Check and save</Button>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
</template>

<style scoped>
input[type='file'] {
  padding: 0.2rem;
}
</style>
