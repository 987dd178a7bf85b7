<script setup lang="ts">
import { Button, Input, InputNumber } from 'ant-design-vue';
import { computed, ref, watch } from 'vue';
import { maskPlaces, type Coarsening, type MaskEffect } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ChoiceField from '../platform/ChoiceField.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import SeveralField from '../platform/SeveralField.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

const props = defineProps<{ dataset: string; columns: readonly { name: string; type: string }[] }>();
const emit = defineEmits<{ saved: []; closed: [] }>();

const name = ref('');
const holder = ref('everyone');
const except = ref<string[]>([]);
const kind = ref<MaskEffect['kind']>('hide');
const column = ref<string>();
const to = ref<Coarsening['to']>();
const other = ref<string>();
const width = ref(10);
const rows = ref(5);
const groups = useResource<{ groups: { name: string }[] }>('/api/v1/groups');
const groupOptions = computed(() =>
  (groups.data.value?.groups ?? []).map((one) => ({ value: one.name, label: one.name })),
);
const holders = computed(() => [
  { value: 'everyone', label: 'Everyone' },
  { label: 'Groups', options: groupOptions.value.map((one) => ({ value: `group:${one.value}`, label: one.label })) },
  { label: 'Places', options: maskPlaces.map((one) => ({ value: `place:${one}`, label: `every ${one}` })) },
]);
const kinds = [
  { value: 'hide', label: 'Hide a column' },
  { value: 'coarsen', label: 'Reduce detail of a column' },
  { value: 'small groups', label: 'Minimum group size' },
];
const columnOptions = computed(() => props.columns.map((one) => ({ value: one.name, label: one.name })));
const type = computed(() => props.columns.find((one) => one.name === column.value)?.type);
/** Only what fits the column's type. */
const coarsenings = computed(() => {
  const another = [{ value: 'column', label: 'another column' }];
  if (type.value === 'date' || type.value === 'instant')
    return [...['day', 'month', 'quarter', 'year'].map((one) => ({ value: one, label: `by ${one}` })), ...another];
  return type.value === 'integer' || type.value === 'number'
    ? [{ value: 'band', label: 'steps' }, ...another]
    : another;
});
watch(coarsenings, (now) => (to.value = now[0]!.value as Coarsening['to']));
const others = computed(() =>
  props.columns
    .filter((one) => one.type === type.value && one.name !== column.value)
    .map((one) => ({ value: one.name, label: one.name })),
);

const effect = computed((): MaskEffect | undefined => {
  if (kind.value === 'small groups') return { kind: 'small groups', rows: rows.value };
  if (column.value === undefined) return undefined;
  if (kind.value === 'hide') return { kind: 'hide', column: column.value };
  if (to.value === 'column')
    return other.value
      ? { kind: 'coarsen', column: column.value, by: { to: 'column', column: other.value } }
      : undefined;
  if (to.value === 'band') return { kind: 'coarsen', column: column.value, by: { to: 'band', width: width.value } };
  return to.value ? { kind: 'coarsen', column: column.value, by: { to: to.value } } : undefined;
});
const { busy, problem, attempt } = useAttempt();
const save = () =>
  attempt('work', async () => {
    const [holderKind, ...rest] = holder.value.split(':');
    const appliesTo = holderKind === 'everyone' ? { kind: holderKind } : { kind: holderKind, name: rest.join(':') };
    const path = `/api/v1/datasets/${encodeURIComponent(props.dataset)}/masks/${encodeURIComponent(name.value)}`;
    await call('PUT', path, { appliesTo, except: except.value, effect: effect.value! });
    emit('saved');
  });
</script>

<template>
  <section class="new-thing" aria-label="Mask">
    <label>Name <Input v-model:value="name" placeholder="no-names" /></label>
    <label>Applies to <ChoiceField v-model:value="holder" :options="holders" /></label>
    <SeveralField v-model:value="except" label="Except groups" :options="groupOptions" none="no groups" />
    <label>Effect <ChoiceField v-model:value="kind" :options="kinds" /></label>
    <label v-if="kind !== 'small groups'">Column <ChoiceField v-model:value="column" :options="columnOptions" /></label>
    <label v-else>Minimum rows <InputNumber v-model:value="rows" :min="2" :max="10000" /></label>
    <template v-if="kind === 'coarsen' && column">
      <label>Show as <ChoiceField v-model:value="to" :options="coarsenings" /></label>
      <label v-if="to === 'column'">Other column <ChoiceField v-model:value="other" :options="others" /></label>
      <label v-if="to === 'band'">Step <InputNumber v-model:value="width" :min="0.000001" /></label>
    </template>
    <ProblemNote v-if="problem" :problem="problem" class="wide" />
    <p class="wide actions">
      <Button type="primary" :disabled="name === '' || effect === undefined" :loading="busy !== ''" @click="save"
        >Save mask</Button
      >
      <Button @click="emit('closed')">Close</Button>
    </p>
  </section>
</template>
