<script setup lang="ts">
import { Button, Checkbox } from 'ant-design-vue';
import { computed, ref, watch } from 'vue';
import {
  columnTypes,
  sensitivities,
  type DatasetColumn,
  type ShownDataset,
  type ColumnProfile,
} from '@underbell/core/dataset';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount } from '../platform/format.ts';

/** What columns mean and what stands in them, so that filters can be written without looking names up. */
const props = defineProps<{ name: string; dataset: ShownDataset }>();
const emit = defineEmits<{ changed: [] }>();
const base = computed(() => `/api/v1/datasets/${encodeURIComponent(props.name)}`);
const profile = useResource<{ columns: ColumnProfile[] }>(() => `${base.value}/profile`);
const profiled = (name: string) => profile.data.value?.columns.find((one) => one.name === name);
const isEditing = ref(false);
/** What is said of a column while it is being edited; an empty text says nothing. */
type Draft = Record<'name' | 'type' | 'label' | 'key' | 'unit' | 'format' | 'sensitivity', string> & {
  guards: boolean;
};
const draft = ref<Draft[]>([]);
const { busy, problem, attempt } = useAttempt();

const fields = ['label', 'key', 'unit', 'format'] as const;
function edit(): void {
  draft.value = props.dataset.columns.map((one) => ({
    name: one.name,
    type: one.type,
    label: one.label ?? '',
    key: one.key ?? '',
    unit: one.unit ?? '',
    format: one.format ?? '',
    sensitivity: one.sensitivity ?? '',
    guards: one.guards === true,
  }));
  isEditing.value = true;
}
watch(
  () => props.name,
  () => (isEditing.value = false),
);
const save = (isForced: boolean) =>
  attempt('work', async () => {
    const columns = draft.value.map((one) =>
      Object.fromEntries(
        Object.entries(one).filter(([, value]) => (typeof value === 'string' ? value.trim() !== '' : value)),
      ),
    );
    await call('PUT', `${base.value}/columns${isForced ? '?force=true' : ''}`, { columns });
    isEditing.value = false;
    emit('changed');
    await profile.reload();
  });
const shown = (value: string | null) => (value === null ? '–' : value.length > 24 ? `${value.slice(0, 23)}…` : value);
const keyWords = (column: DatasetColumn) =>
  [
    column.key && `shared key ${column.key}`,
    column.unit,
    column.format,
    column.sensitivity,
    column.guards && 'guards rows',
  ]
    .filter(Boolean)
    .join(' · ');
</script>

<template>
  <h2 id="columns">Columns</h2>
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="problem?.code === 'REFRESH_BREAKS'">
    <ConfirmAction
      is-dangerous
      title="The items listed above will stop working. Save anyway?"
      ok-text="Save anyway"
      @confirm="save(true)"
      ><Button danger>Save anyway</Button></ConfirmAction
    >
  </p>
  <ProblemNote v-if="profile.error.value" :problem="profile.error.value" />
  <div class="scroll" tabindex="0" role="region" aria-label="Columns">
    <table v-if="!isEditing">
      <thead>
        <tr>
          <th scope="col">Column</th>
          <th scope="col">Type</th>
          <th scope="col" class="number">Empty</th>
          <th scope="col" class="number">Distinct</th>
          <th scope="col">Minimum</th>
          <th scope="col">Maximum</th>
          <th scope="col">Most frequent</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="column in dataset.columns" :key="column.name">
          <td>
            <code>{{ column.name }}</code> {{ column.label }}<br /><small class="quiet">{{ keyWords(column) }}</small>
          </td>
          <td>{{ column.type }}</td>
          <template v-if="profiled(column.name)">
            <td class="number">{{ showCount(profiled(column.name)!.missing) }}</td>
            <td class="number">{{ showCount(profiled(column.name)!.distinct) }}</td>
            <td>{{ shown(profiled(column.name)!.smallest) }}</td>
            <td>{{ shown(profiled(column.name)!.largest) }}</td>
            <td>
              <span v-for="one in profiled(column.name)!.frequent.slice(0, 3)" :key="one.value" class="value"
                >{{ shown(one.value) }} <small>{{ showCount(one.rows) }}</small></span
              >
            </td>
          </template>
          <td v-else colspan="5" class="quiet">{{ profile.isLoading.value ? '…' : '' }}</td>
        </tr>
      </tbody>
    </table>
    <table v-else>
      <thead>
        <tr>
          <th
            v-for="head in ['Column', 'Type', 'Label', 'Key', 'Unit', 'Format', 'Classification', 'Guards rows']"
            :key="head"
            scope="col"
          >
            {{ head }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in draft" :key="one.name">
          <td>
            <code>{{ one.name }}</code>
          </td>
          <td>
            <select v-model="one.type" :aria-label="`Type of ${one.name}`">
              <option v-for="type in columnTypes" :key="type">{{ type }}</option>
            </select>
          </td>
          <td v-for="field in fields" :key="field">
            <input v-model="one[field]" :aria-label="`${field} of ${one.name}`" />
          </td>
          <td>
            <select v-model="one.sensitivity" :aria-label="`Classification of ${one.name}`">
              <option value="">–</option>
              <option v-for="level in sensitivities" :key="level">{{ level }}</option>
            </select>
          </td>
          <td>
            <Checkbox v-model:checked="one.guards" :aria-label="`${one.name} guards rows`" />
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p class="acts">
    <template v-if="isEditing">
      <Button type="primary" :loading="busy === 'work'" @click="save(false)">Save</Button>
      <Button @click="isEditing = false">Cancel</Button>
    </template>
    <Button v-else @click="edit">Edit columns</Button>
  </p>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 0.9375rem;
}
th {
  text-align: left;
  color: var(--quiet);
  border-bottom: 1px solid var(--quiet);
  white-space: nowrap;
}
th,
td {
  padding: 0.3rem 0.8rem 0.3rem 0;
  vertical-align: top;
}
td {
  border-bottom: 1px solid var(--line);
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.value {
  margin-right: 0.7rem;
  white-space: nowrap;
}
small {
  color: var(--quiet);
}
input,
select {
  font: inherit;
  height: 30px;
  width: 100%;
  min-width: 6rem;
  padding: 0 0.4rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
.acts {
  display: flex;
  gap: 0.6rem;
  margin-top: 0.8rem;
}
</style>
