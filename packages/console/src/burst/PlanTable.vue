<script setup lang="ts">
import { Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { capitalised, showCount } from '../platform/words.ts';
import type { Plan } from './shapes.ts';

const props = defineProps<{ plan: Plan }>();
const onlySkipped = ref(false);
const entries = computed(() => props.plan.entries.filter((one) => !onlySkipped.value || one.action === 'skip'));
const columns = [
  { title: 'Recipient', key: 'recipient', width: 110 },
  { title: 'Address', dataIndex: 'address', ellipsis: true },
  { title: 'Filter', key: 'filter', width: 160 },
  { title: 'Rows', key: 'rows', align: 'right' as const, width: 90 },
  { title: 'Files, or why skipped', key: 'files' },
];
</script>

<template>
  <p>
    <b>{{ showCount(plan.counts.planned) }} copies</b> of {{ showCount(plan.counts.rows) }} rows in
    {{ showCount(plan.counts.files) }} files would go out for {{ plan.period.words }}; {{ plan.counts.skipped }} of
    {{ plan.counts.recipients }} recipients would be skipped. Nothing has been sent.
  </p>
  <p class="quiet">
    Limits for all, under the rights of {{ plan.sender }}:
    <span v-for="(limit, i) in plan.limits" :key="limit.origin + limit.name"
      >{{ i > 0 ? '; ' : '' }}{{ i === 0 ? capitalised(limit.words) : limit.words }} ({{ limit.origin }}
      {{ limit.name }})</span
    >
  </p>
  <label class="only"><input v-model="onlySkipped" type="checkbox" /> Only those who would be skipped</label>
  <Table
    :columns="columns"
    :data-source="entries"
    row-key="recipient"
    size="small"
    :pagination="{ pageSize: 15, showSizeChanger: false, hideOnSinglePage: true }"
  >
    <template #bodyCell="{ column, record }">
      <RouterLink
        v-if="column.key === 'recipient'"
        :to="{
          name: 'recipient',
          params: { name: plan.burst, recipient: record.recipient },
          query: { period: plan.period.name },
        }"
        >{{ record.recipient }}</RouterLink
      >
      <template v-else-if="column.key === 'rows'">{{ showCount(record.rows) }}</template>
      <template v-else-if="column.key === 'filter'">{{ capitalised(record.filter) }}</template>
      <template v-else-if="column.key === 'files'">
        <span v-if="record.action === 'skip'" class="quiet">– {{ record.reason }}</span>
        <template v-else>{{ record.files.map((file: { name: string }) => file.name).join(', ') }}</template>
      </template>
    </template>
  </Table>
</template>

<style scoped>
.only {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
  margin-bottom: 0.6rem;
}
</style>
