<script setup lang="ts">
import { Button, Checkbox, Form, FormItem, Input, InputNumber, RadioGroup, Spin, Textarea } from 'ant-design-vue';
import { computed, reactive, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { thingName, type LoadedDataset, type ShownDataset } from '@underbell/core/dataset';
import type { ShownSource } from '@underbell/core/source';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import SelectField from '../platform/SelectField.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** Defines a dataset by SQL on a source, or changes the SQL of one. */
const props = defineProps<{ name?: string }>();
const router = useRouter();
const path = computed(() => (props.name ? `/api/v1/datasets/${encodeURIComponent(props.name)}` : undefined));
const known = useResource<ShownDataset>(path);
const sources = useResource<{ sources: ShownSource[] }>('/api/v1/sources');
const { busy, problem, attempt } = useAttempt<'save'>();
const form = reactive({
  name: '',
  title: '',
  source: undefined as string | undefined,
  sql: '',
  kind: 'snapshot' as 'snapshot' | 'live',
  keepSeconds: 60,
});
const isForced = ref(false);
watch(known.data, (found) => {
  if (!found) return;
  const { name, title, source, sql, kind, keepSeconds } = found;
  Object.assign(form, {
    name,
    title,
    source: source ?? undefined,
    sql: sql ?? '',
    kind,
    keepSeconds: keepSeconds ?? 60,
  });
});
const sourceOptions = computed(() =>
  (sources.data.value?.sources ?? []).map((one) => ({ value: one.name, label: one.name })),
);
const kinds = [
  { value: 'snapshot', label: 'Snapshot: refreshed now and on a schedule' },
  { value: 'live', label: 'Live: query the source each time' },
];
const isComplete = computed(
  () => thingName.test(form.name) && form.source !== undefined && form.sql.trim() !== '' && form.title.trim() !== '',
);
const save = () =>
  attempt('save', async () => {
    const { name, title, source, sql, kind, keepSeconds } = form;
    const body = { title, source, sql, kind, ...(kind === 'live' ? { keepSeconds } : {}) };
    const query = isForced.value ? '?force=true' : '';
    await call<LoadedDataset>('PUT', `/api/v1/datasets/${encodeURIComponent(name)}${query}`, body);
    await router.push(`/data/${name}`);
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/data">Data</RouterLink></p>
  <h1>{{ props.name ? `SQL of ${props.name}` : 'Dataset from SQL' }}</h1>
  <p class="quiet">
    The query reads from a data source, with a role that may only read. Its columns become the columns of the dataset.
  </p>
  <ProblemNote v-if="known.error.value" :problem="known.error.value" />
  <Spin v-else-if="props.name && !known.data.value" />
  <Form v-else layout="vertical" :model="form" class="sql" @finish="save">
    <FormItem label="Data source" required html-for="source">
      <Input v-if="props.name" id="source" :value="form.source" disabled />
      <SelectField
        v-else
        id="source"
        v-model:value="form.source"
        :options="sourceOptions"
        placeholder="Select a data source"
      />
      <template v-if="sources.data.value && sourceOptions.length === 0" #extra
        >There are no data sources yet. <RouterLink to="/data/sources">Add one</RouterLink> first.</template
      >
    </FormItem>
    <FormItem label="Name (used in URLs)" required html-for="name" extra="Lower-case letters, digits and hyphens.">
      <Input id="name" v-model:value="form.name" :disabled="props.name !== undefined" spellcheck="false" />
    </FormItem>
    <FormItem label="Title" required html-for="title"><Input id="title" v-model:value="form.title" /></FormItem>
    <FormItem label="SQL" required html-for="sql">
      <Textarea id="sql" v-model:value="form.sql" :rows="10" class="code" spellcheck="false" />
    </FormItem>
    <FormItem label="Rows">
      <RadioGroup v-model:value="form.kind" :options="kinds" :disabled="props.name !== undefined" />
    </FormItem>
    <FormItem v-if="form.kind === 'live'" label="Cache time" html-for="keep">
      <InputNumber id="keep" v-model:value="form.keepSeconds" :min="0" :max="86400" addon-after="seconds" />
    </FormItem>
    <ProblemNote v-if="problem" :problem="problem" />
    <p v-if="problem?.code === 'REFRESH_BREAKS'">
      <Checkbox v-model:checked="isForced">Save although the items listed above will stop working</Checkbox>
    </p>
    <p class="actions">
      <Button type="primary" html-type="submit" :disabled="!isComplete" :loading="busy === 'save'">{{
        form.kind === 'live' ? 'Save' : 'Save and refresh'
      }}</Button>
      <Button @click="router.back()">Cancel</Button>
    </p>
  </Form>
</template>

<style scoped>
.sql {
  max-width: 60rem;
}
.code {
  font-family: ui-monospace, 'DejaVu Sans Mono', monospace;
}
.actions {
  display: flex;
  gap: 0.5rem;
}
</style>
