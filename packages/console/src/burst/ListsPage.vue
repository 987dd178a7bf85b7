<script setup lang="ts">
import { Button, Empty, Table } from 'ant-design-vue';
import { computed, reactive, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem, call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/words.ts';

interface ShownList {
  readonly name: string;
  readonly version: number;
  readonly recipients: number;
  readonly loadedAt: string;
  readonly origin: { readonly dataset?: string; readonly group?: string } | null;
}
const { data, error, isLoading } = useResource<{ lists: ShownList[] }>('/api/v1/lists');
const { busy, problem, attempt } = useAttempt<'load'>();
const router = useRouter();
const columns = [
  { title: 'List', key: 'name' },
  { title: 'Comes from', key: 'origin' },
  { title: 'Recipients', dataIndex: 'recipients', align: 'right' as const, width: 110 },
  { title: 'Loaded', key: 'loaded', width: 260 },
];
const originWords = ({ origin }: ShownList) =>
  origin === null ? 'a file' : origin.dataset ? `the dataset ${origin.dataset}` : `the group ${origin.group}`;

const form = reactive({
  name: '',
  from: 'file',
  dataset: '',
  where: '',
  group: '',
  each: '',
  id: '',
  address: 'email',
});
const file = ref<File>();
const heading = ref<string[]>([]);
/** The columns of a CSV file can be chosen from; those of a workbook are written. */
async function pick(chosen: File | undefined): Promise<void> {
  file.value = chosen;
  const isBook = chosen?.name.toLowerCase().endsWith('.xlsx') ?? true;
  const first = isBook ? '' : ((await chosen!.slice(0, 20_000).text()).split(/\r?\n/)[0] ?? '');
  heading.value = first.split(/[,;\t]/).map((one) => one.replace(/^\uFEFF|^"|"$/g, '').trim());
}
const hasHeading = computed(() => heading.value.length > 1);

const load = () =>
  attempt('load', async () => {
    const path = `/api/v1/lists/${encodeURIComponent(form.name)}`;
    const roles = { ...(form.id ? { id: form.id } : {}), address: form.address };
    if (form.from === 'file') {
      const isBook = file.value!.name.toLowerCase().endsWith('.xlsx');
      const answer = await fetch(`${path}${isBook ? '/workbook' : ''}?${new URLSearchParams(roles).toString()}`, {
        method: 'PUT',
        headers: {
          'Content-Type': isBook ? 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet' : 'text/csv',
        },
        body: file.value!,
      });
      if (!answer.ok) throw new ApiProblem((await answer.json()) as ProblemDocument);
    } else {
      const from =
        form.from === 'dataset'
          ? { dataset: form.dataset, ...(form.where ? { where: form.where } : {}) }
          : { group: form.group, ...(form.each ? { each: form.each } : {}) };
      await call('PUT', `${path}/origin`, { ...roles, from });
    }
    await router.push(`/lists/${form.name}`);
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/sending">Sending</RouterLink></p>
  <h1>Recipient lists</h1>
  <p class="quiet">
    Who gets a copy, at which address, and the values that cut it out. Every change is a new version; a run keeps the
    one that it was planned from.
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
      <template v-else-if="column.key === 'origin'">{{ originWords(record as ShownList) }}</template>
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
        <option value="file">a file: CSV or a workbook’s first sheet</option>
        <option value="dataset">a dataset, read anew before every run</option>
        <option value="group">a group of people, read anew before every run</option>
      </select></label
    >
    <label v-if="form.from === 'file'"
      >File
      <input
        type="file"
        accept=".csv,.xlsx"
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
    <label
      >Column that names a recipient
      <select v-if="hasHeading" v-model="form.id">
        <option value="">the address</option>
        <option v-for="one in heading" :key="one" :value="one">{{ one }}</option>
      </select>
      <input v-else v-model="form.id" placeholder="the address"
    /></label>
    <label
      >Column with the address
      <select v-if="hasHeading" v-model="form.address">
        <option v-for="one in heading" :key="one" :value="one">{{ one }}</option>
      </select>
      <input v-else v-model="form.address" required
    /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'load'">Check and load</Button>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
</template>

<style scoped>
input[type='file'] {
  padding: 0.2rem;
}
</style>
