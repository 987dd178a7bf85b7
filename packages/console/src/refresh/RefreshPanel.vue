<script setup lang="ts">
import type { ShownDataset } from '@underbell/core/dataset';
import { Button, Progress, Table } from 'ant-design-vue';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { call } from '../platform/api.ts';
import ChoiceField from '../platform/ChoiceField.vue';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { consoleTaste, showCount, showInstant } from '../platform/format.ts';

const props = defineProps<{ name: string; dataset: ShownDataset }>();
const emit = defineEmits<{ changed: [] }>();
const base = computed(() => `/api/v1/datasets/${encodeURIComponent(props.name)}`);
const { busy, problem, attempt } = useAttempt<'refresh' | 'force' | 'stop' | 'plan' | 'hook' | 'back'>();

const loading = computed(() => props.dataset.revisions.find((one) => one.state === 'loading'));
/** While something is loaded, how far it is. */
const timer = window.setInterval(() => {
  if (loading.value || busy.value === 'refresh') emit('changed');
}, 1_000);
onBeforeUnmount(() => window.clearInterval(timer));
const share = computed(() => {
  const last = props.dataset.revisions.find((one) => one.isCurrent)?.rows ?? 0;
  return loading.value && last > 0 ? Math.min(99, Math.round((100 * loading.value.rows) / last)) : 0;
});

const refresh = (isForced: boolean) =>
  attempt(isForced ? 'force' : 'refresh', async () => {
    await call('POST', `${base.value}/refresh${isForced ? '?force=true' : ''}`);
    emit('changed');
  }).finally(() => emit('changed'));
const back = (number: number) =>
  attempt('back', async () => {
    await call('POST', `${base.value}/versions/${number}/rollback`);
    emit('changed');
  });
const stop = () =>
  attempt('stop', async () => {
    await call('POST', `${base.value}/cancel-refresh`);
  });

const usual = [
  { value: '', label: 'manually' },
  { value: 'FREQ=HOURLY', label: 'every hour' },
  { value: 'FREQ=DAILY', label: 'every day' },
  { value: 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR', label: 'Monday to Friday' },
  { value: 'FREQ=WEEKLY;BYDAY=MO', label: 'every Monday' },
  { value: 'FREQ=MONTHLY;BYMONTHDAY=1', label: 'on the first of the month' },
  { value: 'own', label: 'custom recurrence' },
];
const kind = ref('');
const rule = ref('');
const time = ref('06:00');
const timeZone = ref(consoleTaste().timeZone);
const zones = Intl.supportedValuesOf('timeZone');
watch(
  () => props.dataset.schedule,
  (schedule) => {
    if (!schedule) return void (kind.value = '');
    const bare = schedule.rule.replace(/;BY(HOUR|MINUTE)=[^;]*/g, '');
    kind.value = usual.some((one) => one.value === bare) ? bare : 'own';
    rule.value = schedule.rule;
    timeZone.value = schedule.timeZone;
    const hour = /BYHOUR=(\d+)/.exec(schedule.rule)?.[1] ?? schedule.start.slice(11, 13);
    const minute = /BYMINUTE=(\d+)/.exec(schedule.rule)?.[1] ?? schedule.start.slice(14, 16);
    time.value = `${hour.padStart(2, '0')}:${minute.padStart(2, '0')}`;
  },
  { immediate: true },
);
const plan = () =>
  attempt('plan', async () => {
    const [hour, minute] = time.value.split(':').map(Number) as [number, number];
    const at = kind.value === 'FREQ=HOURLY' ? `;BYMINUTE=${minute}` : `;BYHOUR=${hour};BYMINUTE=${minute}`;
    const start = `${new Date().toISOString().slice(0, 10)}T${time.value}`;
    const schedule =
      kind.value === ''
        ? null
        : { rule: kind.value === 'own' ? rule.value.trim() : `${kind.value}${at}`, start, timeZone: timeZone.value };
    await call('PUT', `${base.value}/schedule`, { schedule });
    emit('changed');
  });

const hook = ref('');
const makeHook = (isWanted: boolean) =>
  attempt('hook', async () => {
    const made = await call<{ url?: string } | undefined>(isWanted ? 'POST' : 'DELETE', `${base.value}/webhook`);
    hook.value = made?.url ?? '';
    emit('changed');
  });

const columns = [
  { title: 'Version', key: 'number', width: 120 },
  { title: 'When', key: 'when', width: 210 },
  { title: 'Took', key: 'took', width: 90 },
  { title: 'Why', key: 'why', width: 210 },
  { title: 'Rows', key: 'rows', align: 'right' as const, width: 110 },
  { title: 'Result', key: 'state' },
];
const causes = { hand: 'manual', schedule: 'schedule', upload: 'a file', webhook: 'webhook' };
const states = {
  ready: 'loaded',
  failed: 'failed',
  refused: 'refused',
  stopped: 'stopped',
  loading: 'refreshing …',
  dropped: 'loaded',
};
const seconds = (from: string, to: string | null) =>
  to === null ? '' : `${Math.max(0.1, (Date.parse(to) - Date.parse(from)) / 1000).toFixed(1)} s`;
const isBreaking = computed(() => problem.value?.code === 'REFRESH_BREAKS');
</script>

<template>
  <h2 id="refresh">Refreshes</h2>
  <p v-if="dataset.kind === 'live'" class="quiet">
    Live: queries {{ dataset.source }} directly. Results are cached for {{ dataset.keepSeconds }} s.
  </p>
  <template v-else>
    <p v-if="dataset.staleSince" class="stale" role="status">
      Out of date since {{ showInstant(dataset.staleSince) }}: {{ dataset.staleReason }}
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
    <p v-if="isBreaking">
      <ConfirmAction
        is-dangerous
        title="The items listed above will stop working. Refresh anyway?"
        ok-text="Refresh anyway"
        @confirm="refresh(true)"
      >
        <Button danger :loading="busy === 'force'">Refresh anyway</Button>
      </ConfirmAction>
    </p>
    <div v-if="loading" class="row">
      <Progress :percent="share" :show-info="false" class="bar" aria-label="Refreshing" />
      <span>{{ showCount(loading.rows) }} rows so far</span>
      <Button size="small" :loading="busy === 'stop'" @click="stop">Cancel refresh</Button>
    </div>
    <div v-if="dataset.source" class="row">
      <Button :loading="busy === 'refresh'" @click="refresh(false)">Refresh now</Button>
      <label
        >Refresh <ChoiceField v-model:value="kind" :options="usual.slice(1)" placeholder="manually" may-be-empty
      /></label>
      <label v-if="kind === 'own'"
        >Recurrence (RFC 5545) <input v-model="rule" class="field wide" placeholder="FREQ=DAILY;BYHOUR=6;BYMINUTE=0"
      /></label>
      <template v-if="kind">
        <label v-if="kind !== 'own'">at <input v-model="time" class="field" type="time" /></label>
        <label
          >in
          <select v-model="timeZone" class="field">
            <option v-for="zone in zones" :key="zone">{{ zone }}</option>
          </select></label
        >
      </template>
      <Button :loading="busy === 'plan'" @click="plan">Save</Button>
      <span v-if="dataset.schedule" class="quiet"
        >{{ dataset.schedule.words }} · next {{ showInstant(dataset.nextRefreshAt) }}</span
      >
    </div>
    <div v-if="dataset.source" class="row">
      <template v-if="hook">
        <span
          >Webhook URL that starts a refresh (shown only once): <code class="hook">POST {{ hook }}</code></span
        >
      </template>
      <template v-else>
        <Button size="small" :loading="busy === 'hook'" @click="makeHook(true)">{{
          dataset.hasHook ? 'Rotate webhook URL' : 'Create webhook URL'
        }}</Button>
        <Button v-if="dataset.hasHook" size="small" danger @click="makeHook(false)">Delete webhook URL</Button>
      </template>
    </div>
    <Table
      :columns="columns"
      :data-source="[...dataset.revisions]"
      row-key="number"
      size="small"
      :pagination="dataset.revisions.length > 8 ? { pageSize: 8 } : false"
    >
      <template #bodyCell="{ column, record }">
        <template v-if="column.key === 'number'"
          >{{ record.number }}<b v-if="record.isCurrent" class="current"> current</b></template
        >
        <template v-else-if="column.key === 'when'">{{ showInstant(record.startedAt) }}</template>
        <template v-else-if="column.key === 'took'">{{ seconds(record.startedAt, record.finishedAt) }}</template>
        <template v-else-if="column.key === 'why'"
          >{{ causes[record.cause as keyof typeof causes]
          }}<span v-if="record.startedBy.includes('@')" class="quiet"> by {{ record.startedBy }}</span></template
        >
        <template v-else-if="column.key === 'rows'">{{ showCount(record.rows) }}</template>
        <template v-else-if="column.key === 'state'">
          {{ states[record.state as keyof typeof states] }}<template v-if="record.error">: {{ record.error }}</template>
          <ConfirmAction
            v-if="record.state === 'ready' && !record.isCurrent"
            :title="`Roll back to version ${record.number}?`"
            ok-text="Roll back"
            @confirm="back(record.number)"
          >
            <Button size="small" type="link">Roll back</Button>
          </ConfirmAction>
          <ul v-if="record.impact">
            <li v-for="one in record.impact" :key="one.user + one.what">
              <b>{{ one.user }}</b> {{ one.what }}
            </li>
          </ul>
        </template>
      </template>
    </Table>
  </template>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.5rem 0.9rem;
  margin: 0 0 0.9rem;
}
.row label {
  display: inline-flex;
  align-items: center;
  gap: 0.4rem;
}
.bar {
  width: 16rem;
}
.field {
  font: inherit;
  height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
.wide {
  width: 22rem;
}
.stale {
  border-left: 3px solid var(--signal);
  padding-left: 0.7rem;
}
.hook {
  overflow-wrap: anywhere;
}
.current {
  color: var(--brass);
}
ul {
  margin: 0.2rem 0 0;
  padding-left: 1.1rem;
}
</style>
