<script setup lang="ts">
import { Button, Checkbox, Select, Spin } from 'ant-design-vue';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { spanName, startOf, stepBy, type SpanUnit } from '@underbell/core/report';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { formatName } from '../platform/format.ts';
import type { CostSum } from '@underbell/core/usage';
import UsageTable from '../usage/UsageTable.vue';
import DeleteButton from '../platform/DeleteButton.vue';
import UnsubscribedPanel from './UnsubscribedPanel.vue';
import PeriodField from './PeriodField.vue';
import RunPreview from './RunPreview.vue';
import DeliveryLogPanel from './DeliveryLogPanel.vue';
import {
  missedWords,
  type ShownPlan,
  type ShownRun,
  type ShownBurst,
  type BurstTimes,
} from '@underbell/core/burst/apiTypes';
import { useRun } from './useRun.ts';

const props = defineProps<{ name: string }>();
const {
  data: burst,
  error,
  reload: reloadBurst,
} = useResource<ShownBurst>(() => `/api/v1/bursts/${encodeURIComponent(props.name)}`);
const runs = useResource<{ runs: ShownRun[] }>(() => `/api/v1/runs?burst=${encodeURIComponent(props.name)}`);

/** The period before this one: what people send most. */
const lastPeriod = (unit: SpanUnit) =>
  spanName(stepBy(startOf(new Date().toISOString().slice(0, 10), unit), unit, -1), unit);
/** Nothing where there are none, or every run is one of its own. */
const unit = computed(() => {
  const counted = burst.value?.definition.period?.unit;
  return counted === undefined || counted === 'run' ? undefined : counted;
});

const period = ref('');
const isAgain = ref(false);
watch(burst, (found) => {
  if (found && unit.value && period.value === '') period.value = lastPeriod(unit.value);
});

const plan = ref<ShownPlan>();
const { busy, problem, attempt } = useAttempt<'plan' | 'run' | 'pause'>();
const runId = ref<number>();
const run = useRun(runId);
const asked = Number(useRoute().query['run']);
watch(runs.data, (found) => {
  if (runId.value === undefined) runId.value = asked || found?.runs[0]?.id;
});
watch(
  () => run.isFollowing.value,
  (follows) => {
    if (!follows) void runs.reload();
  },
);
watch([period, isAgain], () => (plan.value = undefined));

const query = computed(
  () => `?again=${isAgain.value}${unit.value ? `&period=${encodeURIComponent(period.value)}` : ''}`,
);
const isPaused = computed(
  () => (burst.value?.definition.schedule as { paused?: boolean } | undefined)?.paused === true,
);
const pause = (wanted: boolean) =>
  attempt('pause', async () => {
    await call('PUT', `/api/v1/bursts/${props.name}/schedule`, { isPaused: wanted });
    await Promise.all([reloadBurst(), times.reload()]);
  });
const makePlan = () =>
  attempt('plan', async () => {
    plan.value = await call<ShownPlan>('GET', `/api/v1/bursts/${props.name}/preview${query.value}`);
  });
const start = (isTest: boolean) =>
  attempt('run', async () => {
    const body = {
      again: isAgain.value,
      isTest,
      ...(unit.value ? { period: period.value } : {}),
    };
    runId.value = (await call<ShownRun>('POST', `/api/v1/bursts/${props.name}/runs`, body)).id;
    plan.value = undefined;
    await runs.reload();
  });
const runAction = (act: 'cancel' | 'pause' | 'resume' | 'retry' | 'approve') =>
  attempt('run', async () => {
    const answer = await call<ShownRun>('POST', `/api/v1/runs/${runId.value}/${act}`);
    if (answer.id === runId.value) return run.reload();
    runId.value = answer.id;
    await runs.reload();
  });
const settle = (recipient: string, hasArrived: boolean) =>
  attempt('run', async () => {
    await call('POST', `/api/v1/runs/${runId.value}/resolve`, { recipient, hasArrived });
    await run.reload();
  });
const recall = (recipient?: string) =>
  attempt('run', async () => {
    await call('POST', `/api/v1/runs/${runId.value}/revoke-links`, recipient === undefined ? {} : { recipient });
    await run.reload();
  });
const times = useResource<BurstTimes>(() => `/api/v1/bursts/${encodeURIComponent(props.name)}/next-runs`);
/** What its formats cost, side by side; for those who may change the burst. */
const costs = useResource<{ sums: CostSum[] }>(() => `/api/v1/usage?by=format&burst=${encodeURIComponent(props.name)}`);
function destinationLabel(destination: ShownBurst['definition']['destination']): string {
  const { kind, to } = destination;
  const place = kind === 'mail' ? `by email${to ? ` through ${to}` : ''}` : `to the ${kind} ${to}`;
  return `${place}${'send' in destination && destination.send === 'links' ? ', as links,' : ''}${'announce' in destination ? ', with notification email,' : ''}`;
}
const formatWords = ({ formats, template }: ShownBurst['definition']) =>
  formats.map((one) => (one === 'template' ? `workbook template ${template}` : formatName(one))).join(' and ');
const runOptions = computed(() =>
  (runs.data.value?.runs ?? []).map((one) => ({
    value: one.id,
    label: `${one.isTest ? 'Test' : 'Run'} ${one.id}, ${one.period}: ${one.state}`,
  })),
);
</script>

<template>
  <p class="crumbs"><RouterLink to="/bursts">Bursts</RouterLink></p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!burst" />
  <template v-else>
    <h1>{{ burst.definition.title }}</h1>
    <p class="quiet">
      <RouterLink :to="`/reports/${burst.definition.report}`">{{ burst.definition.report }}</RouterLink> as
      {{ formatWords(burst.definition) }} {{ destinationLabel(burst.definition.destination) }}. Recipient list:
      <RouterLink :to="`/lists/${burst.definition.list}`">{{ burst.definition.list }}</RouterLink>.
      <RouterLink :to="`/bursts/${name}/edit`">Edit</RouterLink>
      <DeleteButton class="beside" kind="burst" :name="name" to="/bursts" />
    </p>
    <div class="bar">
      <PeriodField v-if="unit && period !== ''" v-model="period" :unit="unit" />
      <Checkbox v-if="burst.definition.period?.unit !== 'run'" v-model:checked="isAgain"
        >Resend to recipients who already have it</Checkbox
      >
      <Button :type="plan ? 'default' : 'primary'" :loading="busy === 'plan'" @click="makePlan">Preview run</Button>
      <ConfirmAction
        v-if="plan && plan.counts.planned > 0"
        :title="`Send ${plan.counts.planned} copies ${destinationLabel(burst.definition.destination)} now?`"
        ok-text="Send"
        @confirm="start(false)"
      >
        <Button type="primary" :loading="busy === 'run'">Send {{ plan.counts.planned }} copies</Button>
      </ConfirmAction>
      <ConfirmAction
        v-if="plan && plan.counts.files > 0"
        title="Send all copies to you as a test? Recipients get nothing."
        ok-text="Send test to me"
        @confirm="start(true)"
      >
        <Button :loading="busy === 'run'">Send test to me</Button>
      </ConfirmAction>
    </div>
    <details v-if="burst.definition.schedule && times.data.value" class="times">
      <summary>
        Schedule: {{ times.data.value.words
        }}<template v-if="times.data.value.times[0]">; next: {{ times.data.value.times[0].words }}</template>
      </summary>
      <ol>
        <li v-for="one in times.data.value.times" :key="one.at">
          {{ one.words }}<template v-if="one.periodWords">, period {{ one.periodWords }}</template
          ><template v-if="one.isRepeated">, repeat: only recipients without a copy</template>
        </li>
      </ol>
      <template v-if="times.data.value.missed?.length">
        <p>Missed:</p>
        <ul>
          <li v-for="one in times.data.value.missed" :key="one.at">
            {{ one.words }}<template v-if="one.period">, period {{ one.period }}</template
            >: {{ missedWords[one.outcome] }}
          </li>
        </ul>
      </template>
      <p>
        <Button size="small" :loading="busy === 'pause'" @click="pause(!isPaused)">{{
          isPaused ? 'Resume schedule' : 'Pause schedule'
        }}</Button>
      </p>
      <a :href="`/api/v1/bursts/${name}/next-runs.ics`" :download="`${name}.ics`">Download calendar</a>
    </details>
    <p v-else-if="burst.definition.afterRefresh && times.data.value" class="times">
      Schedule: {{ times.data.value.words }}.
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
    <section v-if="plan" aria-label="Preview">
      <h2>Preview run</h2>
      <RunPreview :plan="plan" />
    </section>
    <section v-if="run.data.value" aria-label="Run">
      <div class="runs">
        <h2>Deliveries of run {{ run.data.value.id }}</h2>
        <Select
          v-if="runOptions.length > 1"
          v-model:value="runId"
          :options="runOptions"
          class="which"
          aria-label="Run"
        />
      </div>
      <DeliveryLogPanel :run="run.data.value" @run-action="runAction" @settle="settle" @recall="recall" />
    </section>
    <p v-else-if="runs.data.value?.runs.length === 0" class="quiet">
      No runs yet. Preview a run first; it sends nothing.
    </p>
    <UnsubscribedPanel :burst="name" />
    <section v-if="costs.data.value && costs.data.value.sums.length > 0" aria-label="Usage">
      <h2>Usage by format, last 30 days</h2>
      <UsageTable by="format" :sums="costs.data.value.sums" />
    </section>
  </template>
</template>

<style scoped>
.beside {
  margin-left: 0.6rem;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem 1.2rem;
  align-items: center;
  margin: 1rem 0;
  padding: 0.8rem 1rem;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
}
.runs {
  display: flex;
  gap: 1rem;
  align-items: baseline;
}
.which {
  min-width: 15rem;
}
.times {
  margin: 0 0 1rem;
}
.times summary {
  cursor: pointer;
}
.times ol {
  margin: 0.4rem 0;
  padding-left: 1.6rem;
}
</style>
