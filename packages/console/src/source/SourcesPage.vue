<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import type { ShownSource, SourceAnswer } from '@underbell/core/source';
import { call } from '../platform/api.ts';
import DeleteButton from '../platform/DeleteButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const { data, error, isLoading, reload } = useResource<{ sources: ShownSource[] }>('/api/v1/sources');
const { busy, problem, attempt } = useAttempt();
const answers = ref<Record<string, SourceAnswer>>({});
const columns = [
  { title: 'Source', dataIndex: 'name' },
  { title: 'Address', key: 'url' },
  { title: 'Status', key: 'answer' },
  { title: '', key: 'act', width: 90 },
];
const test = (name: string) =>
  attempt(name as 'work', async () => {
    const answer = await call<SourceAnswer>('POST', `/api/v1/sources/${name}/test`);
    answers.value = { ...answers.value, [name]: answer };
    await reload();
  });
const form = reactive({ name: '', host: '', port: '5432', database: '', user: '', password: '', tls: 'require' });
const save = () =>
  attempt('work', async () => {
    const url = new URL('postgresql://host');
    url.hostname = form.host;
    url.port = form.port;
    url.pathname = `/${form.database}`;
    url.username = encodeURIComponent(form.user);
    url.password = encodeURIComponent(form.password);
    const text = url.toString() + (form.tls ? `?sslmode=${form.tls}` : '');
    await call('PUT', `/api/v1/sources/${form.name}`, { url: text });
    const { name } = form;
    Object.assign(form, { name: '', password: '' });
    await reload();
    await test(name);
  });
const words = (one: SourceAnswer) =>
  [
    `PostgreSQL ${one.version}`,
    `${one.tables} tables in ${one.database}`,
    `as ${one.role}${one.isReadOnly ? ', read-only' : ', can write (warning)'}`,
    one.isEncrypted ? 'encrypted' : 'no TLS',
    `${one.milliseconds} ms`,
  ].join(' · ');
</script>

<template>
  <p class="crumbs"><RouterLink to="/data">Data</RouterLink></p>
  <h1>Data sources</h1>
  <p class="quiet">Databases for datasets. Passwords are encrypted and not shown again.</p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <Table
    :columns="columns"
    :data-source="data?.sources ?? []"
    row-key="name"
    size="small"
    :loading="isLoading"
    :pagination="false"
  >
    <template #bodyCell="{ column, record }">
      <code v-if="column.key === 'url'">{{ record.url }}</code>
      <template v-else-if="column.key === 'answer'">
        <span v-if="answers[record.name]">{{ words(answers[record.name]!) }}</span>
        <span v-else-if="record.checkError" class="bad"
          >{{ record.checkError }} ({{ showInstant(record.checkedAt) }})</span
        >
        <span v-else-if="record.checkedAt" class="quiet">tested {{ showInstant(record.checkedAt) }}</span>
      </template>
      <template v-else-if="column.key === 'act'">
        <Button size="small" :loading="(busy as string) === record.name" @click="test(record.name)">Test</Button>
        <DeleteButton kind="source" :name="record.name" @gone="reload" @renamed="reload" />
      </template>
    </template>
  </Table>
  <h2>Add data source</h2>
  <form class="fields" @submit.prevent="save">
    <label>Name <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" placeholder="ferries" /></label>
    <label>Host <input v-model="form.host" required placeholder="db.skerrow.example" /></label>
    <label>Port <input v-model="form.port" required inputmode="numeric" /></label>
    <label>Database <input v-model="form.database" required /></label>
    <label>User (read-only recommended) <input v-model="form.user" required autocomplete="off" /></label>
    <label>Password <input v-model="form.password" type="password" autocomplete="new-password" /></label>
    <label
      >Encryption
      <select v-model="form.tls">
        <option value="verify-full">TLS, verify certificate and host name</option>
        <option value="require">TLS</option>
        <option value="disable">none</option>
      </select>
    </label>
    <Button type="primary" html-type="submit" :loading="busy === 'work'">Save and test</Button>
  </form>
</template>

<style scoped>
.bad {
  color: var(--signal);
}
</style>
