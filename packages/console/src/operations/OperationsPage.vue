<script setup lang="ts">
import { Button, Empty, Table, Tag } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { jobsPerPage, type FailedJob, type ShownProcess, type ShownProcesses } from '@underbell/core/operations';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';

/** Processes of the installation, and jobs that failed. */
const running = useResource<ShownProcesses>('/api/v1/operations/processes');
/** Jobs before which others are shown; nothing for the newest. */
const before = ref<number>();
const failed = useResource<{ jobs: FailedJob[] }>(() =>
  before.value === undefined ? '/api/v1/operations/jobs' : `/api/v1/operations/jobs?before=${before.value}`,
);
const error = computed(() => running.error.value ?? failed.error.value);
const { busy, problem, attempt } = useAttempt<string>();
const retry = (id: number) =>
  attempt(`retry ${id}`, async () => {
    await call('POST', `/api/v1/operations/jobs/${id}/retry`);
    await failed.reload();
  });

/** Half a minute, by which the service tells a wrong clock. */
const mostOffMs = 30_000;
const clockWords = ({ clockOffMs }: ShownProcess) =>
  Math.abs(clockOffMs) < 1_000
    ? 'Right'
    : `${showCount(Math.round(Math.abs(clockOffMs) / 1_000))} s ${clockOffMs > 0 ? 'ahead' : 'behind'}`;
const processColumns = [
  { title: 'Host', dataIndex: 'host' },
  { title: 'Process', dataIndex: 'process', align: 'right' as const },
  { title: 'Role', dataIndex: 'role' },
  { title: 'State', key: 'state' },
  { title: 'Clock', key: 'clock' },
  { title: 'Connections', dataIndex: 'connections', align: 'right' as const },
  { title: 'Started', key: 'started' },
  { title: 'Last seen', key: 'seen' },
];
const jobColumns = [
  { title: 'Job', dataIndex: 'id', align: 'right' as const },
  { title: 'Kind', dataIndex: 'kind' },
  { title: 'Error', key: 'error' },
  { title: 'Tries', dataIndex: 'attempts', align: 'right' as const },
  { title: 'Next try', key: 'next' },
  { title: '', key: 'retry' },
];
const processes = computed(() => [...(running.data.value?.processes ?? [])]);
const jobs = computed(() => [...(failed.data.value?.jobs ?? [])]);
</script>

<template>
  <h1>Operations</h1>
  <ProblemNote v-if="error" :problem="error" />
  <template v-else>
    <h2>Processes</h2>
    <Table :columns="processColumns" :data-source="processes" row-key="id" size="small" :pagination="false">
      <template #bodyCell="{ column, record }">
        <Tag v-if="column.key === 'state'" :color="record.isRunning ? 'green' : 'default'">{{
          record.isRunning ? 'Running' : 'Not seen lately'
        }}</Tag>
        <Tag v-else-if="column.key === 'clock'" :color="Math.abs(record.clockOffMs) > mostOffMs ? 'red' : 'default'">{{
          clockWords(record as ShownProcess)
        }}</Tag>
        <template v-else-if="column.key === 'started'">{{ showInstant(record.startedAt) }}</template>
        <template v-else-if="column.key === 'seen'">{{ showInstant(record.seenAt) }}</template>
      </template>
    </Table>
    <p v-if="running.data.value" class="quiet">
      The database gives {{ showCount(running.data.value.connectionLimit) }} connections to all processes together.
    </p>
    <h2>Failed jobs</h2>
    <ProblemNote v-if="problem" :problem="problem" />
    <Table :columns="jobColumns" :data-source="jobs" row-key="id" size="small" :pagination="false">
      <template #emptyText><Empty description="No job has failed." /></template>
      <template #bodyCell="{ column, record }">
        <template v-if="column.key === 'error'">{{ record.error }}</template>
        <template v-else-if="column.key === 'next'">{{
          record.state === 'waiting' && record.nextTryAt ? showInstant(record.nextTryAt) : ''
        }}</template>
        <Button
          v-else-if="column.key === 'retry'"
          size="small"
          :aria-label="`Retry job ${record.id}`"
          :loading="busy === `retry ${record.id}`"
          @click="retry(record.id)"
          >Retry</Button
        >
      </template>
    </Table>
    <p v-if="before !== undefined || jobs.length >= jobsPerPage" class="pages">
      <Button :disabled="before === undefined" @click="before = undefined">Newest</Button>
      <Button :disabled="jobs.length < jobsPerPage" @click="before = jobs.at(-1)!.id">Older</Button>
    </p>
  </template>
</template>

<style scoped>
.pages {
  display: flex;
  gap: 0.5rem;
}
.quiet {
  margin-top: 8px;
}
</style>
