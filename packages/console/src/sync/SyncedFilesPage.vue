<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { computed, reactive, ref } from 'vue';
import { followedKinds, type FollowedKind, type FollowOutcome, type ShownFollowed } from '@underbell/core/sync';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { consoleTaste, showInstant } from '../platform/format.ts';

/** Files of a library that become the next edition or revision when they are replaced there. */
const { data, error, isLoading, reload } = useResource<{ files: ShownFollowed[] }>('/api/v1/synced-files');
const { busy, problem, attempt } = useAttempt();
const said = ref('');
const hook = ref<{ readonly name: string; readonly url: string }>();
const pathOf = (name: string) => `/api/v1/synced-files/${encodeURIComponent(name)}`;
const rhythms = [
  { value: '', words: 'manually' },
  { value: 'FREQ=HOURLY', words: 'every hour' },
  { value: 'FREQ=DAILY', words: 'every day' },
  { value: 'FREQ=WEEKLY', words: 'every week' },
];
const zone = consoleTaste().timeZone;
const empty = {
  name: '',
  kind: 'report' as FollowedKind,
  dataset: '',
  address: '',
  user: '',
  password: '',
  rhythm: '',
  time: '06:00',
};
const form = reactive({ ...empty });
const isKnown = computed(() => (data.value?.files ?? []).some((one) => one.name === form.name));
function change(one: ShownFollowed): void {
  const rule = one.schedule?.rule ?? '';
  Object.assign(form, {
    ...empty,
    name: one.name,
    kind: one.kind,
    dataset: one.kind === 'dataset' ? (one.thing ?? '') : '',
    address: one.address,
    user: one.user ?? '',
    rhythm: rule,
    time: one.schedule?.start.slice(11, 16) ?? '06:00',
  });
  document.getElementById('follow')?.scrollIntoView();
}
const told = (name: string, { outcome }: { outcome: FollowOutcome }) => {
  said.value = `${name}: ${outcome.words}`;
};
const save = () =>
  attempt('work', async () => {
    const { name, kind, dataset, address, user, password, rhythm, time } = form;
    const start = `${new Date().toISOString().slice(0, 10)}T${time}`;
    const body = {
      kind,
      address,
      ...(kind === 'dataset' ? { dataset } : {}),
      ...(user === '' ? {} : { user, ...(password === '' ? {} : { password }) }),
      schedule: rhythm === '' ? null : { rule: rhythm, start, timeZone: zone },
    };
    told(name, await call<{ outcome: FollowOutcome }>('PUT', pathOf(name), body));
    Object.assign(form, empty);
    await reload();
  });
const check = (name: string) =>
  attempt(name as 'work', async () => {
    told(name, await call<{ outcome: FollowOutcome }>('POST', `${pathOf(name)}/sync`));
    await reload();
  });
const makeHook = (name: string, isWanted: boolean) =>
  attempt(name as 'work', async () => {
    const made = await call<{ url?: string } | undefined>(isWanted ? 'POST' : 'DELETE', `${pathOf(name)}/webhook`);
    hook.value = made?.url ? { name, url: made.url } : undefined;
    await reload();
  });
const remove = (name: string) =>
  attempt(name as 'work', async () => {
    await call('DELETE', pathOf(name));
    said.value = `${name} deleted. Imported content stays.`;
    await reload();
  });
const columns = [
  { title: 'File', key: 'file' },
  { title: 'Becomes', key: 'thing', width: 200 },
  { title: 'Status', key: 'state' },
  { title: 'Next', key: 'next', width: 150 },
  { title: '', key: 'act', width: 260 },
];
const linkOf = ({ kind, thing }: ShownFollowed) =>
  `/${{ report: 'reports', board: 'boards', dataset: 'data' }[kind]}/${thing}`;
</script>

<template>
  <p class="crumbs"><RouterLink to="/data">Data</RouterLink></p>
  <h1>Synced files</h1>
  <p class="quiet">
    Reports, boards and data files that are synced from a URL. When a file changes there, it is checked and imported
    here with your permissions. If that fails, the old version stays and you get an email.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="said" role="status">{{ said }}</p>
  <p v-if="hook" role="status">
    Webhook URL (POST) that syncs {{ hook.name }}. It is shown only once: <code>{{ hook.url }}</code>
  </p>
  <Table
    :columns="columns"
    :data-source="data?.files ?? []"
    row-key="name"
    size="small"
    :loading="isLoading"
    :pagination="false"
  >
    <template #emptyText><p class="quiet">No file is followed yet.</p></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'file'">
        <b>{{ record.name }}</b><br /><span class="address">{{ record.address }}</span>
        <template v-if="record.user"
          ><br /><span class="quiet">as {{ record.user }}</span></template
        >
      </template>
      <template v-else-if="column.key === 'thing'">
        {{ record.kind }}
        <RouterLink v-if="record.thing" :to="linkOf(record as ShownFollowed)">{{ record.thing }}</RouterLink>
        <span v-else class="quiet">not synced</span>
      </template>
      <template v-else-if="column.key === 'state'">
        <p v-if="record.problem" class="bad">
          Since {{ showInstant(record.problem.since) }}: {{ record.problem.message }}
          <span class="quiet">{{ record.problem.code }}</span>
        </p>
        <span class="quiet">
          <template v-if="record.changedAt">Imported {{ showInstant(record.changedAt) }}. </template>
          <template v-if="record.checkedAt">Checked {{ showInstant(record.checkedAt) }}.</template>
        </span>
      </template>
      <template v-else-if="column.key === 'next'">
        <template v-if="record.nextAt">{{ showInstant(record.nextAt) }}</template>
        <span v-if="record.hasHook" class="quiet"> or by webhook</span>
        <span v-if="!record.nextAt && !record.hasHook" class="quiet">manual</span>
      </template>
      <span v-else-if="column.key === 'act'" class="acts">
        <Button size="small" :loading="busy === record.name" @click="check(record.name)">Sync now</Button>
        <Button size="small" @click="change(record as ShownFollowed)">Edit</Button>
        <Rename path="/api/v1/synced-files" :name="record.name" :leads="false" @renamed="reload" />
        <Button size="small" @click="makeHook(record.name, !record.hasHook)">{{
          record.hasHook ? 'Delete webhook URL' : 'Create webhook URL'
        }}</Button>
        <ConfirmAction
          is-dangerous
          :title="`What was made of ${record.name} stays. Follow it no more?`"
          ok-text="Delete"
          @confirm="remove(record.name)"
          ><Button size="small" danger>Delete</Button></ConfirmAction
        >
      </span>
    </template>
  </Table>
  <h2 id="follow">{{ isKnown ? `Edit ${form.name}` : 'Create synced file' }}</h2>
  <form class="form" @submit.prevent="save">
    <div class="fields">
      <label>Name <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60" /></label>
      <label
        >Type
        <select v-model="form.kind">
          <option v-for="one in followedKinds" :key="one" :value="one">{{ one }}</option>
        </select>
      </label>
      <label v-if="form.kind === 'dataset'"
        >Dataset <input v-model="form.dataset" required pattern="[a-z][a-z0-9\-]*" maxlength="60"
      /></label>
      <label class="wide"
        >URL
        <input v-model="form.address" type="url" required placeholder="https://library.example/files/works.report.json"
      /></label>
      <label>Username <input v-model="form.user" autocomplete="off" /></label>
      <label
        >Password
        <input
          v-model="form.password"
          type="password"
          autocomplete="new-password"
          :placeholder="isKnown ? 'as it is' : ''"
          :disabled="form.user === ''"
      /></label>
      <label
        >Schedule
        <select v-model="form.rhythm">
          <option v-for="one in rhythms" :key="one.value" :value="one.value">{{ one.words }}</option>
          <option v-if="!rhythms.some((one) => one.value === form.rhythm)" :value="form.rhythm">
            {{ form.rhythm }}
          </option>
        </select>
      </label>
      <label v-if="form.rhythm !== ''">At <input v-model="form.time" type="time" required /></label>
    </div>
    <p class="more">
      <Button type="primary" html-type="submit" :loading="busy === 'work'">{{
        isKnown ? 'Save and sync' : 'Create'
      }}</Button>
    </p>
  </form>
</template>

<style scoped>
.address {
  overflow-wrap: anywhere;
}
.bad {
  color: var(--signal);
  margin: 0 0 0.2rem;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem;
}
</style>
