<script setup lang="ts">
import { computed, onMounted } from 'vue';
import RunStatus from '../burst/RunStatus.vue';
import type { ShownRun } from '@underbell/core/burst/apiTypes';
import SearchBox from '../folder/SearchBox.vue';
import { pathOf, useFavourites } from '../folder/useFavourites.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';
import StatusLabel from '../screen/StatusLabel.vue';
import { useScreenAlerts } from '../screen/useScreenAlerts.ts';

const { wrong, wrongCount, allCount } = useScreenAlerts();
const { atHand, load } = useFavourites();
onMounted(load);
const { data: runs, error } = useResource<{ runs: ShownRun[] }>('/api/v1/runs');
const { data: reports } = useResource<{ reports: { name: string; title: string; edition: number }[] }>(
  '/api/v1/reports',
);
const failed = computed(() =>
  (runs.value?.runs ?? []).filter((one) => one.counts.failed + one.counts.inDoubt > 0).slice(0, 5),
);
const latest = computed(() => (runs.value?.runs ?? []).slice(0, 6));
</script>

<template>
  <h1>Home</h1>
  <SearchBox />
  <ProblemNote v-if="error" :problem="error" />
  <div class="columns">
    <section aria-labelledby="out">
      <h2 id="out">Recent runs</h2>
      <p v-if="latest.length === 0" class="quiet">
        None. <RouterLink to="/bursts">Preview a burst</RouterLink> to start.
      </p>
      <ul v-else>
        <li v-for="run in latest" :key="run.id">
          <RouterLink :to="`/bursts/${run.burst}`">{{ run.burst }}</RouterLink> for {{ run.period }}
          <RunStatus :state="run.state" />
          <span class="quiet"
            >{{ run.counts.sent }} sent, {{ run.counts.skipped }} skipped, {{ run.counts.failed }} failed ·
            {{ showInstant(run.finishedAt ?? run.createdAt) }}</span
          >
        </li>
      </ul>
    </section>
    <section aria-labelledby="bad">
      <h2 id="bad">Failed runs</h2>
      <p v-if="failed.length === 0" class="quiet">None.</p>
      <ul v-else>
        <li v-for="run in failed" :key="run.id">
          <RouterLink :to="`/bursts/${run.burst}`">Run {{ run.id }} of {{ run.burst }}</RouterLink>
          <span class="quiet"
            >{{ run.counts.failed }} failed<template v-if="run.counts.inDoubt"
              >, {{ run.counts.inDoubt }} unconfirmed</template
            >{{ run.error ? `: ${run.error}` : '' }}</span
          >
        </li>
      </ul>
    </section>
    <section v-if="allCount > 0" aria-labelledby="screens">
      <h2 id="screens">Screens</h2>
      <p v-if="wrongCount === 0" class="quiet">
        <RouterLink to="/screens">{{ showCount(allCount) }} screens</RouterLink>, no problems.
      </p>
      <ul v-else>
        <li v-for="{ state, count } in wrong" :key="state">
          <RouterLink :to="`/screens?state=${state}`">{{ showCount(count) }} of {{ showCount(allCount) }}</RouterLink>
          <StatusLabel class="word" :state="state" />
        </li>
      </ul>
    </section>
    <section v-if="atHand" aria-labelledby="hand">
      <h2 id="hand">Favourites and recent</h2>
      <p v-if="atHand.favourites.length + atHand.recent.length === 0" class="quiet">
        Your favourites and recent items appear here.
      </p>
      <ul>
        <li v-for="one in atHand.favourites" :key="`kept ${one.kind} ${one.name}`">
          <RouterLink :to="pathOf(one)">{{ one.title }}</RouterLink>
          <span class="quiet">{{ one.kind }}, favourite</span>
        </li>
        <li v-for="one in atHand.recent" :key="`${one.kind} ${one.name}`">
          <RouterLink :to="pathOf(one)">{{ one.title }}</RouterLink>
          <span class="quiet">{{ one.kind }}, recent</span>
        </li>
      </ul>
    </section>
    <section aria-labelledby="reports">
      <h2 id="reports">Reports</h2>
      <p v-if="reports?.reports.length === 0" class="quiet">No reports.</p>
      <ul>
        <li v-for="report in reports?.reports ?? []" :key="report.name">
          <RouterLink :to="`/reports/${report.name}`">{{ report.title }}</RouterLink>
          <span class="quiet">edition {{ report.edition }}</span>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(20rem, 1fr));
  gap: 1rem 2rem;
  margin-top: 1rem;
}
section {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.2rem 1.2rem 1rem;
}
h2 {
  margin-top: 0.8rem;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 0.55rem;
}
.word {
  margin-left: 0.4rem;
}
li span.quiet {
  display: block;
}
</style>
