<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { computed, reactive, ref } from 'vue';
import type { ShownDestination } from '@underbell/core/deliver';
import RunStatus from '../burst/RunStatus.vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import DeleteButton from '../platform/DeleteButton.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const { data, error, isLoading, reload } = useResource<{ destinations: ShownDestination[] }>('/api/v1/destinations');
const { busy, problem, attempt } = useAttempt<string>();
const answers = ref<Record<string, string>>({});
const secret = ref<{ name: string; text: string }>();
const columns = [
  { title: 'Destination', dataIndex: 'name', width: 160 },
  { title: 'Kind', dataIndex: 'kind', width: 90 },
  { title: 'Address', key: 'address', ellipsis: true },
  { title: 'Takes', key: 'takes', width: 230 },
  { title: 'State', key: 'state', width: 260 },
  { title: '', key: 'act', width: 190 },
];
const takes = ({ limits, parallel }: ShownDestination) => [...limits, `${parallel} at once`].join(', ');

const test = (name: string) =>
  attempt(`test ${name}`, async () => {
    const { [name]: _, ...others } = answers.value;
    answers.value = others;
    try {
      const { words, ms } = await call<{ words: string; ms: number }>('POST', `/api/v1/destinations/${name}/test`);
      answers.value = { ...answers.value, [name]: `${words}, ${ms} ms` };
    } finally {
      await reload();
    }
  });
const runAction = (name: string, act: 'pause' | 'resume') =>
  attempt(`${act} ${name}`, async () => {
    await call('POST', `/api/v1/destinations/${name}/${act}`);
    await reload();
  });

const kinds = [
  { value: 'library', title: 'WebDAV folder', hint: 'https://files.example/quays' },
  { value: 'webhook', title: 'Webhook (signed)', hint: 'https://rota.example/copies' },
  { value: 'mail', title: 'Mail server', hint: 'smtps://mail.example' },
  { value: 'directory', title: 'Server folder', hint: 'quays/monthly' },
];
const form = reactive({ name: '', kind: 'library', address: '', user: '', password: '', limits: '', parallel: 5 });
const hint = computed(() => kinds.find((one) => one.value === form.kind)!.hint);
const hasUser = computed(() => form.kind === 'library' || form.kind === 'mail');
const save = () =>
  attempt('save', async () => {
    const { name, kind, address, user, password, limits, parallel } = form;
    const body = {
      kind,
      address,
      ...(hasUser.value && user ? { user } : {}),
      ...(hasUser.value && password ? { password } : {}),
      limits: limits
        .split(',')
        .map((one) => one.trim())
        .filter((one) => one !== ''),
      parallel,
    };
    const saved = await call<{ secret?: string }>('PUT', `/api/v1/destinations/${name}`, body);
    secret.value = saved.secret ? { name, text: saved.secret } : undefined;
    Object.assign(form, { name: '', address: '', user: '', password: '', limits: '' });
    await reload();
    await test(name);
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/bursts">Bursts</RouterLink></p>
  <h1>Destinations</h1>
  <p class="quiet">
    Copies go to destinations. After three failures in a row a destination pauses: its runs wait, and it is tested again
    until it works.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="secret" class="secret" role="status">
    Messages to <b>{{ secret.name }}</b> are signed with <code>{{ secret.text }}</code>. This is shown once.
  </p>
  <Table
    :columns="columns"
    :data-source="data?.destinations ?? []"
    row-key="name"
    size="small"
    :loading="isLoading"
    :pagination="false"
    :scroll="{ x: 900 }"
  >
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'address'">
        <code v-if="record.address">{{ record.address }}</code>
        <span v-else class="quiet">set when the service starts</span>
      </template>
      <template v-else-if="column.key === 'takes'">{{ takes(record as ShownDestination) }}</template>
      <template v-else-if="column.key === 'state'">
        <RunStatus :state="record.state" />
        <span v-if="record.reason" class="why">{{ record.reason }}</span>
        <span v-if="answers[record.name]" class="why good">{{ answers[record.name] }}</span>
        <span v-else-if="record.testError && record.state === 'ready'" class="why bad"
          >its last test failed: {{ record.testError }}</span
        >
        <span v-else-if="record.testedAt && !record.reason" class="why quiet"
          >tested {{ showInstant(record.testedAt) }}</span
        >
      </template>
      <span v-else-if="column.key === 'act'" class="acts">
        <Button size="small" :loading="busy === `test ${record.name}`" @click="test(record.name)">Test</Button>
        <ConfirmAction
          v-if="record.state === 'ready'"
          :title="`Pause “${record.name}”? Runs wait until you resume it.`"
          ok-text="Pause"
          @confirm="runAction(record.name, 'pause')"
          ><Button size="small">Pause</Button></ConfirmAction
        >
        <Button v-else size="small" type="primary" @click="runAction(record.name, 'resume')">Resume</Button>
        <DeleteButton v-if="record.address" kind="destination" :name="record.name" @gone="reload" @renamed="reload" />
      </span>
    </template>
  </Table>
  <h2>Create destination</h2>
  <form class="fields" @submit.prevent="save">
    <label>Name <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" placeholder="quay-library" /></label>
    <label
      >Type
      <select v-model="form.kind">
        <option v-for="one in kinds" :key="one.value" :value="one.value">{{ one.title }}</option>
      </select>
    </label>
    <label>URL or folder <input v-model="form.address" required :placeholder="hint" /></label>
    <template v-if="hasUser">
      <label>Username <input v-model="form.user" autocomplete="off" /></label>
      <label>Password <input v-model="form.password" type="password" autocomplete="new-password" /></label>
    </template>
    <label
      >Rate limits, separated by commas <input v-model="form.limits" placeholder="3 per 10 s, 1600 per day"
    /></label>
    <label>Parallel <input v-model.number="form.parallel" type="number" min="1" max="50" required /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'save'">Save and test</Button>
  </form>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.why {
  display: block;
}
.bad {
  color: var(--signal);
}
.good {
  color: var(--good);
}
.secret {
  border: 1px solid var(--brass);
  border-radius: 4px;
  padding: 0.6rem 0.8rem;
  overflow-wrap: anywhere;
}
</style>
