<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { computed, reactive, ref, watch } from 'vue';
import type { AuditRecord } from '@underbell/core/audit';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';
import AccessTabs from './AccessTabs.vue';

/** Every change, with what was before and after it; and whether the log still is as it was written. */
const form = reactive({ who: '', what: '', thing: '' });
const before = ref<number>();
watch(form, () => (before.value = undefined));
const path = computed(() => {
  const said = Object.entries(form).filter(([, value]) => value.trim() !== '');
  const words = new URLSearchParams(said.map(([name, value]) => [name, value.trim()]));
  if (before.value !== undefined) words.set('before', String(before.value));
  return `/api/v1/audit-log?${words}`;
});
const { data, error, isLoading } = useResource<{ entries: AuditRecord[] }>(path);
const entries = computed(() => data.value?.entries ?? []);
const { busy, problem, attempt } = useAttempt<'check'>();
const checked = ref<{ entries: number; brokenAt?: number }>();
const check = () =>
  attempt('check', async () => {
    checked.value = await call<{ entries: number; brokenAt?: number }>('GET', '/api/v1/audit-log/verify');
  });
const columns = [
  { title: 'When', key: 'at', width: 190 },
  { title: 'User', dataIndex: 'who', width: 240 },
  { title: 'Action', dataIndex: 'what' },
  { title: 'Item', dataIndex: 'thing' },
  { title: 'Via', dataIndex: 'origin', width: 150 },
];
const hasSides = (one: AuditRecord) => one.before !== null || one.after !== null;
const written = (value: unknown) => (value === null ? 'nothing' : JSON.stringify(value, undefined, 2));
</script>

<template>
  <AccessTabs current="log" />
  <h2>Audit log</h2>
  <p>
    <Button :loading="busy === 'check'" @click="check">Verify log</Button>
    <span v-if="checked" role="status" class="checked">
      <template v-if="checked.brokenAt === undefined"
        >Verified: {{ showCount(checked.entries) }} entries, none changed or removed.</template
      >
      <b v-else class="bad">Entry {{ checked.brokenAt }} or an earlier one was changed or removed.</b>
    </span>
  </p>
  <ProblemNote v-if="problem" :problem="problem" />
  <form class="fields" @submit.prevent>
    <label>User <input v-model.lazy="form.who" placeholder="part of an email" /></label>
    <label>Action <input v-model.lazy="form.what" placeholder="published" /></label>
    <label>Item <input v-model.lazy="form.thing" placeholder="report punctuality" /></label>
  </form>
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="entries"
    row-key="id"
    size="small"
    :loading="isLoading"
    :pagination="false"
    :scroll="{ x: 960 }"
    :row-expandable="hasSides"
  >
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'at'">{{ showInstant(record.at) }}</template>
    </template>
    <template #expandedRowRender="{ record }">
      <div class="sides">
        <section>
          <h3>Before</h3>
          <pre tabindex="0">{{ written(record.before) }}</pre>
        </section>
        <section>
          <h3>After</h3>
          <pre tabindex="0">{{ written(record.after) }}</pre>
        </section>
      </div>
    </template>
  </Table>
  <p class="more">
    <Button v-if="before !== undefined" @click="before = undefined">Newest</Button>
    <Button v-if="entries.length === 100" @click="before = entries.at(-1)!.id">Older</Button>
  </p>
</template>

<style scoped>
.fields {
  margin-bottom: 0.8rem;
}
.checked {
  margin-left: 0.8rem;
}
.bad {
  color: var(--signal);
}
.sides {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(18rem, 1fr));
  gap: 1rem;
}
.sides h3 {
  font-size: 1rem;
  margin: 0 0 0.3rem;
}
pre {
  margin: 0;
  max-height: 24rem;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
