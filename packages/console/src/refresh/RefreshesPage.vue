<script setup lang="ts">
import { Button, Progress, Table } from 'ant-design-vue';
import { computed, onBeforeUnmount } from 'vue';
import type { PlannedRefresh } from '@underbell/core/dataset';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';

/** How all data is kept fresh, in one place. */
const { data, error, isLoading, reload } = useResource<{ refreshes: PlannedRefresh[] }>('/api/v1/refreshes');
const { busy, problem, attempt } = useAttempt<string>();
const isUnderWay = computed(() => busy.value !== undefined || data.value?.refreshes.some((one) => one.loading));
const timer = window.setInterval(() => {
  if (isUnderWay.value && !document.hidden) void reload();
}, 1_000);
onBeforeUnmount(() => window.clearInterval(timer));

const refresh = (name: string) =>
  attempt(name, async () => {
    await call('POST', `/api/v1/datasets/${encodeURIComponent(name)}/refresh`);
  }).finally(() => reload());
const stop = (name: string) =>
  attempt(`stop ${name}`, async () => {
    await call('POST', `/api/v1/datasets/${encodeURIComponent(name)}/cancel-refresh`);
  });
const shareOf = ({ rows, of }: NonNullable<PlannedRefresh['loading']>) =>
  of > 0 ? Math.min(99, Math.round((100 * rows) / of)) : 0;
const states: Readonly<Record<string, string>> = {
  ready: 'loaded',
  dropped: 'loaded',
  failed: 'failed',
  refused: 'refused',
  stopped: 'stopped',
};
const columns = [
  { title: 'Dataset', key: 'title' },
  { title: 'When', key: 'when' },
  { title: 'Next runs', key: 'next', width: 190 },
  { title: 'Last', key: 'last', width: 230 },
  { title: '', key: 'act', width: 190 },
];
</script>

<template>
  <p class="crumbs"><RouterLink to="/data">Data</RouterLink></p>
  <h1>Refreshes</h1>
  <p class="quiet">Refresh schedules and results of all datasets. Set the schedule on the dataset page.</p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <Table
    :columns="columns"
    :data-source="data?.refreshes ?? []"
    row-key="name"
    :loading="isLoading && !data"
    :pagination="false"
    :scroll="{ x: 900 }"
  >
    <template #emptyText><span class="quiet">No dataset that is yours to change.</span></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'title'">
        <RouterLink :to="`/data/${record.name}#refresh`">{{ record.title }}</RouterLink><br />
        <span class="quiet">{{ record.source ?? 'a file' }}</span>
      </template>
      <template v-else-if="column.key === 'when'">
        <template v-if="record.kind === 'live'">Live, cached for {{ record.keepSeconds }} s</template>
        <template v-else-if="record.schedule">{{ record.schedule.words }}</template>
        <span v-else class="quiet">{{ record.source ? 'manual' : 'on import' }}</span>
        <template v-if="record.hasHook"><br />or by webhook</template>
      </template>
      <template v-else-if="column.key === 'next'">
        <div v-for="(at, i) in record.next" :key="at" :class="{ quiet: Number(i) > 0 }">{{ showInstant(at) }}</div>
      </template>
      <template v-else-if="column.key === 'last'">
        <template v-if="record.last">
          <span :class="{ bad: ['failed', 'refused'].includes(record.last.state) }">{{
            states[record.last.state] ?? record.last.state
          }}</span>
          {{ showInstant(record.last.startedAt) }}<br />
          <span class="quiet">{{ showCount(record.last.rows) }} rows</span>
        </template>
        <div v-if="record.staleSince" class="bad">Out of date since {{ showInstant(record.staleSince) }}</div>
      </template>
      <template v-else>
        <template v-if="record.loading">
          <Progress
            :percent="shareOf(record.loading)"
            :show-info="false"
            size="small"
            :aria-label="`Loading ${record.title}`"
          />
          {{ showCount(record.loading.rows) }} rows
          <Button size="small" :aria-label="`Cancel refresh of ${record.title}`" @click="stop(record.name)"
            >Cancel refresh</Button
          >
        </template>
        <Button
          v-else-if="record.source && record.kind === 'snapshot'"
          size="small"
          :loading="busy === record.name"
          :aria-label="`Refresh now: ${record.title}`"
          @click="refresh(record.name)"
          >Refresh now</Button
        >
      </template>
    </template>
  </Table>
</template>

<style scoped>
.bad {
  color: var(--signal);
}
</style>
