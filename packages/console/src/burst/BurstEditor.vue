<script setup lang="ts">
import { Button, Spin } from 'ant-design-vue';
import { reactive, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import DestinationStep from './DestinationStep.vue';
import { emptyDraft, toDefinition, toDraft, type Draft } from './draft.ts';
import FilesStep from './FilesStep.vue';
import RecipientsStep from './RecipientsStep.vue';
import ReportStep from './ReportStep.vue';
import ScheduleStep from './ScheduleStep.vue';
import { useDraftCheck } from './useDraftCheck.ts';
import { useDraftOptions } from './useDraftOptions.ts';
import { consoleTaste } from '../platform/format.ts';

const props = defineProps<{ name?: string }>();
const router = useRouter();
const zone = consoleTaste().timeZone;
const draft = reactive<Draft>(emptyDraft(zone));
const before = ref<object>({});
const isReady = ref(props.name === undefined);
const burst = useResource<{ definition: object }>(() =>
  props.name === undefined ? undefined : `/api/v1/bursts/${encodeURIComponent(props.name)}`,
);
watch(burst.data, (saved) => {
  if (!saved) return;
  before.value = saved.definition;
  Object.assign(draft, toDraft(saved.definition, zone));
  isReady.value = true;
});
const choices = useDraftOptions(draft);
const { checked, wrong, problems } = useDraftCheck(draft, before, isReady);

const steps = ['Report', 'Recipients', 'Files', 'Delivery', 'Schedule and approval', 'Check'];
const { busy, problem, attempt } = useAttempt<'save'>();
const save = () =>
  attempt('save', async () => {
    await call('PUT', '/api/v1/bursts', toDefinition(draft, before.value));
    await router.push(`/bursts/${draft.name}`);
  });
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/bursts">Bursts</RouterLink
    ><template v-if="name">
      › <RouterLink :to="`/bursts/${name}`">{{ name }}</RouterLink></template
    >
  </p>
  <h1>{{ name ? `Edit ${draft.title || name}` : 'Create burst' }}</h1>
  <p class="quiet">Each recipient gets a filtered copy. Your input is checked as you type. Saving sends nothing.</p>
  <Spin v-if="!isReady" />
  <form v-else @submit.prevent="save">
    <section v-for="(title, step) in steps" :key="title" :aria-label="title">
      <h2>
        <span class="step" aria-hidden="true">{{ step + 1 }}</span> {{ title }}
        <span v-if="problems.has(step)" class="bad">✕ has errors</span>
      </h2>
      <ReportStep v-if="step === 0" v-model="draft" :choices :is-new="name === undefined" />
      <RecipientsStep v-else-if="step === 1" v-model="draft" :choices />
      <FilesStep v-else-if="step === 2" v-model="draft" :choices />
      <DestinationStep v-else-if="step === 3" v-model="draft" :choices />
      <ScheduleStep v-else-if="step === 4" v-model="draft" />
      <template v-else>
        <p v-if="draft.report === ''" class="quiet">Select a report.</p>
        <div v-else-if="checked" role="status">
          <p><b class="good">✓ No errors.</b> Saving does not start a run.</p>
          <p class="quiet">
            Read strategy: {{ checked.strategy.kind === 'one pass' ? 'single scan' : 'query per copy' }} ({{
              checked.strategy.because
            }}). Schedule: {{ checked.words
            }}<template v-if="checked.times.length > 0"
              >. Next runs: {{ checked.times.map((one) => one.words).join(', ') }}</template
            >.
          </p>
        </div>
        <p v-else-if="wrong" class="bad">Fix the errors in the marked steps.</p>
        <p class="more">
          <Button type="primary" html-type="submit" :disabled="!checked" :loading="busy === 'save'">Save</Button>
          <Button @click="router.back()">Cancel</Button>
        </p>
        <ProblemNote v-if="problem" :problem="problem" />
      </template>
      <ul v-if="problems.has(step)" class="bad" role="alert">
        <li v-for="one in problems.get(step)" :key="one">{{ one }}</li>
      </ul>
    </section>
  </form>
</template>

<style scoped>
section {
  margin: 0 0 1rem;
  padding: 0.2rem 1rem 0.9rem;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
}
h2 {
  margin-top: 0.7rem;
}
.step {
  display: inline-block;
  width: 1.6em;
  height: 1.6em;
  line-height: 1.6em;
  margin-right: 0.3em;
  border-radius: 50%;
  background: var(--sea);
  color: var(--raised);
  font-size: 0.8em;
  text-align: center;
}
.bad {
  color: var(--signal);
  font-weight: 400;
  font-size: 0.95rem;
}
.good {
  color: var(--good);
}
ul.bad {
  margin: 0.6rem 0 0;
  padding-left: 1.2rem;
}
</style>
