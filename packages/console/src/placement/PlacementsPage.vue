<script setup lang="ts">
import { Empty, Table } from 'ant-design-vue';
import { computed } from 'vue';
import { placementLabel, type ShownPlacement } from '@underbell/core/placement';
import LinkButton from '../platform/LinkButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';
import { useSession } from '../session/useSession.ts';

const { data, error, isLoading } = useResource<{ placements: ShownPlacement[] }>('/api/v1/placements');
const { isAuthor } = useSession();
const placements = computed(() => data.value?.placements ?? []);
const columns = [
  { title: 'Place', key: 'title' },
  { title: 'Shows', key: 'shows', width: 250 },
  { title: 'Last viewed', key: 'use', width: 230 },
  { title: 'Problems (last day)', key: 'problems', width: 220 },
];
const problemsOf = ({ use }: ShownPlacement) =>
  Object.entries(use?.problems ?? {}).map(([code, count]) => `${code} ${count}×`);
</script>

<template>
  <h1>Placements</h1>
  <p class="quiet">
    Placements show reports, pages, figures and boards in portals, channels, apps, screens or by link.
  </p>
  <p v-if="isAuthor">
    <LinkButton to="/placements/new" type="primary">Create placement</LinkButton>
    <RouterLink to="/channels" class="beside">Channel placements</RouterLink>
    <RouterLink to="/apps" class="beside">Business apps</RouterLink>
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Table
    v-else
    :columns="columns"
    :data-source="placements"
    row-key="name"
    size="small"
    :loading="isLoading"
    :pagination="false"
    :scroll="{ x: 820 }"
  >
    <template #emptyText><Empty description="No placements" /></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'title'">
        <RouterLink :to="`/placements/${record.name}`">{{ record.title }}</RouterLink>
        <span class="quiet kind">{{ record.kind }}</span>
        <b v-if="record.suspendedAt" class="rests">suspended</b>
      </template>
      <template v-else-if="column.key === 'shows'">
        {{ placementLabel(record as ShownPlacement)
        }}<template v-if="record.edition">, edition {{ record.edition }}</template>
      </template>
      <template v-else-if="column.key === 'use'">
        <template v-if="record.use?.lastSeenAt"
          >{{ showInstant(record.use.lastSeenAt) }}, by {{ showCount(record.use.viewers) }} in 30 days</template
        >
        <span v-else-if="record.use" class="quiet">no views in 30 days</span>
      </template>
      <template v-else-if="column.key === 'problems'">
        <span v-for="one in problemsOf(record as ShownPlacement)" :key="one" class="bad">{{ one }} </span>
        <span v-if="record.use && problemsOf(record as ShownPlacement).length === 0" class="quiet">no problems</span>
      </template>
    </template>
  </Table>
</template>

<style scoped>
.beside {
  margin-left: 1rem;
}
.kind {
  margin-left: 0.5rem;
}
.rests {
  margin-left: 0.5rem;
  color: var(--signal);
  font-weight: 600;
}
.bad {
  display: block;
  color: var(--signal);
}
</style>
