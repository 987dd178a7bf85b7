<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import type { CostsOverTime, CostSplit, CostStretch, CostSum, StretchSum } from '@underbell/core/usage';
import UsageLimits from './UsageLimits.vue';
import UsageTable from './UsageTable.vue';

/** The library that draws is fetched when there is something to draw. */
const UsageChart = defineAsyncComponent(() => import('./UsageChart.vue'));

const groups = {
  day: 'day',
  hour: 'hour',
  kind: 'activity',
  report: 'report',
  burst: 'burst',
  place: 'place',
  dataset: 'dataset',
  person: 'person',
  format: 'format',
} as const;
const by = ref<keyof typeof groups>('day');
const days = ref(30);
const dayMs = 86_400_000;
const from = computed(() => new Date(Math.floor(Date.now() / dayMs) * dayMs - (days.value - 1) * dayMs).toISOString());
const { data, error } = useResource<{ by: string; sums: CostSum[] }>(
  () => `/api/v1/usage?by=${by.value}&from=${encodeURIComponent(from.value)}`,
);

/** Stretches by how many days are looked at: no more than can be told apart. */
const per = computed<CostStretch>(() => (days.value <= 7 ? 'hour' : days.value <= 90 ? 'day' : 'month'));
const split = computed<CostSplit>(() => (by.value === 'day' || by.value === 'hour' ? 'kind' : by.value));
const measures = { seconds: 'seconds', times: 'times', bytes: 'size' } as const;
const measure = ref<keyof StretchSum>('seconds');
const drawn = useResource<CostsOverTime>(
  () => `/api/v1/usage/over-time?per=${per.value}&by=${split.value}&from=${encodeURIComponent(from.value)}`,
);
const hasCosts = computed(() => (drawn.data.value?.names.length ?? 0) > 0);
</script>

<template>
  <p v-if="error?.code === 'NOT_ALLOWED'" class="crumbs"><RouterLink to="/bursts">Bursts</RouterLink></p>
  <h1>Usage</h1>
  <p class="quiet">Usage of views, refreshes and bursts: rows, query and compute seconds, bytes.</p>
  <p v-if="error?.code === 'NOT_ALLOWED'" class="quiet">
    Only administrators see all usage. The usage of a burst is on its page, under
    <RouterLink to="/bursts">Bursts</RouterLink>.
  </p>
  <p v-else class="choices">
    <label
      >By
      <select v-model="by" class="plain">
        <option v-for="(words, group) in groups" :key="group" :value="group">{{ words }}</option>
      </select></label
    >
    <label
      >over
      <select v-model.number="days" class="plain">
        <option :value="1">today</option>
        <option :value="7">7 days</option>
        <option :value="30">30 days</option>
        <option :value="90">90 days</option>
        <option :value="365">a year</option>
      </select></label
    >
    <label
      >drawn by
      <select v-model="measure" class="plain">
        <option v-for="(words, name) in measures" :key="name" :value="name">{{ words }}</option>
      </select></label
    >
  </p>
  <UsageChart v-if="drawn.data.value && hasCosts" :costs="drawn.data.value" :measure="measure" />
  <ProblemNote v-if="error && error.code !== 'NOT_ALLOWED'" :problem="error" />
  <UsageTable v-else-if="data" :by="groups[data.by as keyof typeof groups]" :sums="data.sums" />
  <UsageLimits />
</template>

<style scoped>
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 1.2rem;
}
</style>
