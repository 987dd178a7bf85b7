<script setup lang="ts">
import { Button, Progress, Table } from 'ant-design-vue';
import { computed } from 'vue';
import ConfirmAction from '../platform/ConfirmAction.vue';
import { formatName, showCount, showInstant, showSize } from '../platform/format.ts';
import RunStatus from './RunStatus.vue';
import type { DeliveryLog, LedgerEntry } from '@underbell/core/burst/apiTypes';
import { isActive } from './shapes.ts';

const props = defineProps<{ run: DeliveryLog }>();
const emit = defineEmits<{
  runAction: [act: 'cancel' | 'pause' | 'resume' | 'retry' | 'approve'];
  settle: [recipient: string, hasArrived: boolean];
  recall: [recipient?: string];
}>();

const share = computed(() => {
  const { planned, sent, failed, inDoubt, rendered } = props.run.counts;
  if (planned === 0) return isActive(props.run) ? 0 : 100;
  // Making a copy and sending it are half of the way each.
  return Math.round(
    (50 * Math.max(rendered, sent + failed + inDoubt)) / planned + (50 * (sent + failed + inDoubt)) / planned,
  );
});
const sizeOf = (entry: LedgerEntry) => entry.files.reduce((sum, file) => sum + (file.sizeBytes ?? 0), 0);
const hasLinks = computed(() => props.run.entries.some((one) => one.link));
const holding = computed(() => props.run.entries.filter((one) => one.link && !one.link.isRecalled).length);
const fileOf = (entry: LedgerEntry, file: string) =>
  `/api/v1/runs/${props.run.id}/file?${new URLSearchParams({ recipient: entry.recipient, file }).toString()}`;
const states = computed(() =>
  [...new Set(props.run.entries.map((one) => one.state))].map((state) => ({ text: state, value: state })),
);
const columns = computed(() => [
  { title: 'Recipient', dataIndex: 'recipient', width: 110 },
  { title: 'Address', dataIndex: 'address', ellipsis: true },
  { title: 'Rows', key: 'rows', align: 'right' as const, width: 90 },
  {
    title: 'State',
    key: 'state',
    width: 130,
    filters: states.value,
    onFilter: (value: string | number | boolean, entry: LedgerEntry) => entry.state === value,
  },
  { title: 'Size', key: 'size', align: 'right' as const, width: 90 },
  ...(props.run.keptUntil ? [{ title: 'Files', key: 'files', width: 130 }] : []),
  ...(hasLinks.value ? [{ title: 'Links', key: 'link', width: 190 }] : []),
  { title: 'Reason', key: 'reason' },
]);
/** A run that waits for a worker says so where none lives. */
const noWorkerMessage = computed(() => {
  const { noWorkerSince } = props.run;
  if (noWorkerSince === undefined) return '';
  const since = noWorkerSince === null ? '' : `; last heartbeat at ${showInstant(noWorkerSince)}`;
  return `No worker is running${since}. The run continues when a worker starts.`;
});
</script>

<template>
  <p v-if="noWorkerMessage" class="no-worker" role="alert">{{ noWorkerMessage }}</p>
  <div class="head">
    <span
      ><RunStatus :state="run.state" /> for {{ run.period }}<template v-if="run.isTest">, test to the sender</template
      ><template v-else-if="run.cause === 'schedule'">, by schedule</template
      ><template v-else-if="run.cause === 'refresh'">, after a refresh</template
      ><template v-if="run.releasedBy">, approved by {{ run.releasedBy }}</template></span
    >
    <span
      >{{ run.counts.sent }} sent, {{ run.counts.skipped }} skipped, {{ run.counts.failed }} failed<template
        v-if="run.counts.inDoubt"
        >, {{ run.counts.inDoubt }} unconfirmed</template
      ></span
    >
    <span class="quiet"
      >{{ showCount(run.rowsRead) }} rows read · {{ showInstant(run.startedAt ?? run.createdAt)
      }}<template v-if="run.keptUntil"> · files kept until {{ showInstant(run.keptUntil) }}</template></span
    >
    <Button v-if="isActive(run)" @click="emit('runAction', 'pause')">Pause</Button>
    <ConfirmAction
      v-if="run.state === 'held'"
      :title="`Approve this run? ${run.counts.planned} copies will be sent.`"
      ok-text="Approve run"
      @confirm="emit('runAction', 'approve')"
      ><Button type="primary">Approve run</Button></ConfirmAction
    >
    <Button v-if="run.state === 'paused'" type="primary" @click="emit('runAction', 'resume')">Go on</Button>
    <ConfirmAction
      v-if="!isActive(run) && run.state !== 'paused' && run.state !== 'held' && run.counts.failed > 0"
      :title="`Retry ${run.counts.failed} failed copies?`"
      ok-text="Retry"
      @confirm="emit('runAction', 'retry')"
      ><Button>Retry failed</Button></ConfirmAction
    >
    <ConfirmAction
      v-if="isActive(run) || run.state === 'paused' || run.state === 'held'"
      is-dangerous
      title="Cancel this run? Sent copies stay sent. You can run the rest again."
      ok-text="Cancel run"
      @confirm="emit('runAction', 'cancel')"
      ><Button danger>Cancel run</Button></ConfirmAction
    >
    <ConfirmAction
      v-if="holding > 0"
      is-dangerous
      :title="`Revoke the links of ${holding} copies? They stop working at once.`"
      ok-text="Revoke links"
      @confirm="emit('recall')"
      ><Button danger>Revoke all links</Button></ConfirmAction
    >
  </div>
  <div v-if="isActive(run)" aria-live="polite">
    <Progress :percent="share" :show-info="false" />
    <p class="quiet">{{ run.phase }}</p>
  </div>
  <p v-if="run.state === 'held'">
    Awaiting approval by {{ run.release?.join(', ') }}. The user who started the run cannot approve it.
  </p>
  <p v-if="run.error" class="error" role="alert">{{ run.error }}</p>
  <Table
    :columns="columns"
    :data-source="[...run.entries]"
    row-key="recipient"
    size="small"
    :pagination="{ pageSize: 15, showSizeChanger: false, hideOnSinglePage: true }"
  >
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'rows'">{{ showCount(record.rows) }}</template>
      <RunStatus v-else-if="column.key === 'state'" :state="record.state" />
      <template v-else-if="column.key === 'size'">{{
        sizeOf(record as LedgerEntry) > 0 ? showSize(sizeOf(record as LedgerEntry)) : ''
      }}</template>
      <template v-else-if="column.key === 'files'">
        <a
          v-for="file in (record as LedgerEntry).files.filter((one) => !one.isInline)"
          :key="file.name"
          class="file"
          :href="fileOf(record as LedgerEntry, file.name)"
          :download="file.name"
          :title="file.name"
          :aria-label="file.name"
          >{{ formatName(file.format) }}</a
        >
        <span v-if="record.places.length > 0" class="quiet" :title="record.places.map(decodeURI).join('\n')"
          >delivered</span
        >
      </template>
      <template v-else-if="column.key === 'link' && record.link">
        <template v-if="record.link.isRecalled">revoked</template>
        <template v-else
          >{{ record.link.fetched === 0 ? 'not downloaded' : `downloaded ${record.link.fetched} times` }}
          <Button size="small" @click="emit('recall', record.recipient)">Revoke links</Button></template
        >
      </template>
      <template v-else-if="column.key === 'reason'">
        <span v-if="record.bounce" class="error">bounced: {{ record.bounce }}</span>
        <span class="quiet" :title="record.filter"
          >{{ record.reason
          }}<template v-if="record.nextTryAt">; next attempt {{ showInstant(record.nextTryAt) }}</template></span
        >
        <span v-if="record.state === 'in doubt'" class="settle">
          <Button size="small" @click="emit('settle', record.recipient, true)">Mark as delivered</Button>
          <Button size="small" @click="emit('settle', record.recipient, false)">Mark as not delivered</Button>
        </span>
      </template>
    </template>
  </Table>
</template>

<style scoped>
.no-worker {
  color: var(--signal);
  margin: 0 0 0.6rem;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 1.4rem;
  align-items: center;
  margin-bottom: 0.6rem;
}
.error {
  color: var(--signal);
}
.settle {
  display: inline-flex;
  gap: 0.4rem;
  margin-left: 0.6rem;
}
.file {
  margin-right: 0.7rem;
}
</style>
