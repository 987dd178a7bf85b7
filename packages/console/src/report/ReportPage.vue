<script setup lang="ts">
import { Spin, Table } from 'ant-design-vue';
import { computed } from 'vue';
import RightsPanel from '../access/RightsPanel.vue';
import PlacementCard, { type ShownPlacement } from '../place/PlacementCard.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/words.ts';

interface ShownEdition {
  readonly number: number;
  readonly notes: string;
  readonly publishedBy: string;
  readonly publishedAt: string;
}

interface ShownReport {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly edition: number;
  readonly definition: {
    readonly pages: readonly { readonly name: string; readonly title: string; readonly figures: readonly unknown[] }[];
    readonly parameters?: readonly { readonly name: string; readonly type: string }[];
  };
  readonly editions: readonly ShownEdition[];
}

const props = defineProps<{ name: string }>();
const { data: report, error } = useResource<ShownReport>(() => `/api/v1/reports/${encodeURIComponent(props.name)}`);
const places = useResource<{ placements: ShownPlacement[] }>(
  () => `/api/v1/placements?report=${encodeURIComponent(props.name)}`,
);
const placements = computed(() => places.data.value?.placements ?? []);
const columns = [
  { title: 'Edition', key: 'number', width: 130 },
  { title: 'Published', key: 'published', width: 300 },
  { title: 'Notes', dataIndex: 'notes' },
];
</script>

<template>
  <p class="crumbs"><RouterLink to="/reports">Reports</RouterLink></p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!report" />
  <template v-else>
    <h1>{{ report.title }}</h1>
    <p class="quiet">{{ report.description }}</p>
    <p>
      <code>{{ report.name }}</code> ·
      {{ report.definition.pages.map((page) => `${page.title} (${page.figures.length} figures)`).join(', ') }}
      <template v-if="report.definition.parameters">
        · parameters {{ report.definition.parameters.map((one) => one.name).join(', ') }}</template
      >
    </p>
    <p><RouterLink :to="`/reports/${name}/see`">See as somebody else</RouterLink></p>
    <h2>Where it is shown</h2>
    <p v-if="placements.length === 0" class="quiet">
      Nowhere yet. <code>underbell place add NAME --report {{ report.name }} --title TITLE --origin ORIGIN</code>
    </p>
    <div class="cards">
      <PlacementCard v-for="placement in placements" :key="placement.name" :placement="placement" />
    </div>
    <RightsPanel kind="report" :name="name" />
    <h2>Editions</h2>
    <Table :columns="columns" :data-source="[...report.editions]" row-key="number" size="small" :pagination="false">
      <template #bodyCell="{ column, record }">
        <template v-if="column.key === 'number'"
          >{{ record.number }}<b v-if="record.number === report.edition" class="current"> current</b></template
        >
        <template v-else-if="column.key === 'published'"
          >{{ showInstant(record.publishedAt) }} by {{ record.publishedBy }}</template
        >
      </template>
    </Table>
  </template>
</template>

<style scoped>
.crumbs {
  margin: 0 0 0.3rem;
}
.cards {
  display: grid;
  gap: 0.8rem;
}
.current {
  color: var(--brass);
  font-weight: 600;
}
</style>
