<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import type { ShownEdition } from '@underbell/core/report';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { showInstant } from '../platform/format.ts';

const props = defineProps<{ name: string; current: number; editions: readonly ShownEdition[] }>();
const emit = defineEmits<{ changed: [] }>();
const { busy, problem, attempt } = useAttempt();
const wanted = ref<number>();
const show = (edition: number, isConfirmed: boolean) =>
  attempt('work', async () => {
    wanted.value = edition;
    await call('POST', `/api/v1/reports/${props.name}/rollback`, { edition, isConfirmed });
    emit('changed');
  });
const retire = (edition: number) =>
  attempt('work', async () => {
    await call('POST', `/api/v1/reports/${props.name}/editions/${edition}/retire`);
    emit('changed');
  });
const isBreaking = computed(() => problem.value?.code === 'EDITION_BREAKS');
const before = (edition: number) => props.editions.find((one) => one.number < edition)?.number;
const columns = [
  { title: 'Edition', key: 'number', width: 150 },
  { title: 'Published', key: 'published', width: 290 },
  { title: 'Notes', dataIndex: 'notes' },
  { title: '', key: 'act', width: 300 },
];
</script>

<template>
  <h2 id="editions">Editions</h2>
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="isBreaking">
    <ConfirmAction
      is-dangerous
      title="The items listed above will stop working. Roll back anyway?"
      ok-text="Roll back"
      @confirm="show(wanted!, true)"
      ><Button danger>Roll back anyway</Button></ConfirmAction
    >
  </p>
  <Table :columns="columns" :data-source="[...editions]" row-key="number" size="small" :pagination="false">
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'number'"
        >{{ record.number }}<b v-if="record.number === current" class="current"> current</b
        ><span v-if="record.retiredAt" class="quiet"> retired</span></template
      >
      <template v-else-if="column.key === 'published'"
        >{{ showInstant(record.publishedAt) }} by {{ record.publishedBy }}</template
      >
      <span v-else-if="column.key === 'act'" class="acts">
        <RouterLink
          v-if="before(record.number) !== undefined"
          :to="`/reports/${name}/compare/${before(record.number)}/${record.number}`"
          >Changes</RouterLink
        >
        <template v-if="record.number !== current && !record.retiredAt">
          <ConfirmAction
            :title="`Roll back to edition ${record.number}?`"
            ok-text="Roll back"
            @confirm="show(record.number, false)"
            ><Button size="small" :loading="busy === 'work'">Roll back</Button></ConfirmAction
          >
          <ConfirmAction
            is-dangerous
            :title="`Retire edition ${record.number}? This cannot be undone.`"
            ok-text="Retire"
            @confirm="retire(record.number)"
            ><Button size="small" danger>Retire</Button></ConfirmAction
          >
        </template>
      </span>
    </template>
  </Table>
</template>

<style scoped>
.current {
  color: var(--brass);
  font-weight: 600;
}
.acts {
  display: flex;
  gap: 0.6rem;
  align-items: center;
}
</style>
