<script setup lang="ts">
import { computed, ref } from 'vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import type { CostSum } from '@underbell/core/meter';
import CostLimits from './CostLimits.vue';
import CostTable from './CostTable.vue';

const groups = {
  day: 'day',
  hour: 'hour',
  kind: 'what it was',
  report: 'report',
  burst: 'burst',
  place: 'place',
  dataset: 'dataset',
  person: 'person',
  format: 'format of a copy',
} as const;
const by = ref<keyof typeof groups>('day');
const days = ref(30);
const dayMs = 86_400_000;
const from = computed(() => new Date(Math.floor(Date.now() / dayMs) * dayMs - (days.value - 1) * dayMs).toISOString());
const { data, error } = useResource<{ by: string; sums: CostSum[] }>(
  () => `/api/v1/meter?by=${by.value}&from=${encodeURIComponent(from.value)}`,
);
</script>

<template>
  <p v-if="error?.code === 'NOT_ALLOWED'" class="crumbs"><RouterLink to="/sending">Sending</RouterLink></p>
  <h1>Costs</h1>
  <p class="quiet">
    What looking, refreshing and sending took: rows that the databases answered, seconds of queries and of making pages
    and files, bytes of copies.
  </p>
  <p v-if="error?.code === 'NOT_ALLOWED'" class="quiet">
    What everything cost is for administrators. What a burst cost stands on its own page, under
    <RouterLink to="/sending">Sending</RouterLink>.
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
      </select></label
    >
  </p>
  <ProblemNote v-if="error && error.code !== 'NOT_ALLOWED'" :problem="error" />
  <CostTable v-else-if="data" :by="groups[data.by as keyof typeof groups]" :sums="data.sums" />
  <CostLimits />
</template>

<style scoped>
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 1.2rem;
}
</style>
