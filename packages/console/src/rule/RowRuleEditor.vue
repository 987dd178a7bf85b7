<script setup lang="ts">
import { Button, Input } from 'ant-design-vue';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import type { RowRule, RowRuleTest as RuleTrialAnswer, RuleVocabulary } from '@underbell/core/access';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem, call } from '../platform/api.ts';
import ChoiceField from '../platform/ChoiceField.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import RowRuleTest from './RowRuleTest.vue';
import { useFilterEditor } from './useFilterEditor.ts';

const props = defineProps<{ dataset: string; rule?: RowRule }>();
const emit = defineEmits<{ saved: []; closed: [] }>();

const base = `/api/v1/datasets/${encodeURIComponent(props.dataset)}`;
const name = ref(props.rule?.name ?? '');
const text = ref(props.rule?.where ?? '');
const holder = ref(
  props.rule === undefined || props.rule.appliesTo.kind === 'everyone'
    ? 'everyone'
    : `${props.rule.appliesTo.kind}:${props.rule.appliesTo.name}`,
);
const as = ref<string>();
const vocabulary = useResource<RuleVocabulary>(`${base}/filter-terms`);
const people = useResource<{ people: { email: string; name: string; groups: string[]; state: string }[] }>(
  '/api/v1/users',
);
const trial = shallowRef<RuleTrialAnswer>();
const refusal = shallowRef<ProblemDocument>();
const place = ref<HTMLElement>();
useFilterEditor(
  place,
  text,
  () => props.dataset,
  () => vocabulary.data.value,
  () => refusal.value,
);

const present = computed(() =>
  (people.data.value?.people ?? []).filter((one) => one.state === 'active' || one.state === 'guest'),
);
const holders = computed(() => [
  { value: 'everyone', label: 'Everyone' },
  {
    label: 'Groups',
    options: (vocabulary.data.value?.groups ?? []).map((one) => ({ value: `group:${one}`, label: one })),
  },
  {
    label: 'Users',
    options: present.value.map((one) => ({ value: `person:${one.email}`, label: `${one.name} · ${one.email}` })),
  },
]);
const viewers = computed(() =>
  present.value.map((one) => ({ value: one.email, label: `${one.name} · ${one.groups.join(', ') || 'no groups'}` })),
);
const appliesTo = computed(() => {
  const [kind, ...rest] = holder.value.split(':');
  return kind === 'everyone' ? { kind } : { kind, name: rest.join(':') };
});
/** Somebody whom the rule is for, to begin with. */
watch([holder, present], () => {
  const { kind, name: who } = appliesTo.value as { kind: string; name?: string };
  const fitting = present.value.find((one) =>
    kind === 'group' ? one.groups.includes(who!) : kind === 'person' && one.email === who,
  );
  if (fitting && (as.value === undefined || kind !== 'everyone')) as.value = fitting.email;
});

let timer: number | undefined;
let newest = 0;
async function look(): Promise<void> {
  const turn = ++newest;
  if (text.value.trim() === '') {
    trial.value = undefined;
    refusal.value = undefined;
    return;
  }
  try {
    const body = {
      name: name.value || 'draft',
      appliesTo: appliesTo.value,
      where: text.value,
      ...(as.value ? { as: as.value } : {}),
    };
    const found = await call<RuleTrialAnswer>('POST', `${base}/row-rules/test`, body);
    if (turn !== newest) return;
    trial.value = found;
    refusal.value = undefined;
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error;
    if (turn !== newest) return;
    refusal.value = error.document;
  }
}
watch(
  // A name that cannot be one blocks as well, until it is mended.
  [name, text, holder, as],
  () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => void look(), 250);
  },
  { immediate: true },
);
onBeforeUnmount(() => window.clearTimeout(timer));

const { busy, problem, attempt } = useAttempt();
const save = () =>
  attempt('work', async () => {
    await call('PUT', `${base}/row-rules/${encodeURIComponent(name.value)}`, {
      appliesTo: appliesTo.value,
      where: text.value,
    });
    emit('saved');
  });
</script>

<template>
  <section class="framed" aria-label="Row rule">
    <div class="fields">
      <label>Name <Input v-model:value="name" :disabled="rule !== undefined" placeholder="own-quay" /></label>
      <label>Applies to <ChoiceField v-model:value="holder" :options="holders" /></label>
      <label>Test as <ChoiceField v-model:value="as" :options="viewers" placeholder="yourself" may-be-empty /></label>
    </div>
    <div class="condition">
      <span id="condition">Visible rows (filter)</span>
      <div ref="place" class="text" />
      <p v-if="refusal" class="refusal" role="alert">
        <b>{{ refusal.detail }}</b>
        {{ refusal.hint }}
        <small v-if="refusal.position">line {{ refusal.position.line }}, column {{ refusal.position.column }}</small>
      </p>
      <p v-else-if="trial" class="understood">
        Meaning: <b>{{ trial.words }}</b>
      </p>
      <p v-else class="quiet">Start with a column name. Ctrl+Space shows suggestions.</p>
    </div>
    <RowRuleTest v-if="trial && !refusal" :trial="trial" />
    <ProblemNote v-if="problem" :problem="problem" />
    <div class="actions">
      <Button
        type="primary"
        :disabled="!trial || refusal !== undefined || name === ''"
        :loading="busy !== ''"
        @click="save"
        >Save row rule</Button
      >
      <Button @click="emit('closed')">Close</Button>
    </div>
  </section>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 1rem;
}
label,
.condition > span {
  font-weight: 600;
}
label {
  display: grid;
  gap: 0.25rem;
}
.condition {
  margin-top: 0.9rem;
}
.text {
  border: 1px solid var(--quiet);
  border-radius: 4px;
  margin-top: 0.25rem;
  background: var(--paper);
}
.text :deep(.cm-editor) {
  font-size: 1rem;
  min-height: 3.4rem;
}
.text :deep(.cm-content) {
  font-family: ui-monospace, 'DejaVu Sans Mono', monospace;
  padding: 0.6rem 0;
  caret-color: var(--ink);
}
.text :deep(.cm-tooltip) {
  background: var(--raised);
  color: var(--ink);
  border: 1px solid var(--quiet);
}
.text :deep(.cm-tooltip li[aria-selected]) {
  background: var(--sea);
  color: var(--paper);
}
.text :deep(.cm-focused) {
  outline: 2px solid var(--brass);
}
.refusal {
  color: var(--signal);
  margin: 0.4rem 0 0;
}
.refusal small {
  color: var(--quiet);
  margin-left: 0.4rem;
}
.understood {
  margin: 0.4rem 0 0;
}
.actions {
  display: flex;
  gap: 0.6rem;
  margin-top: 1rem;
}
@media (max-width: 800px) {
  .fields {
    grid-template-columns: 1fr;
  }
}
</style>
