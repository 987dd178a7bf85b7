<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue';
import type { DatasetColumn, ShownDataset } from '@underbell/core/dataset';
import { seemsPersonal, type ColumnSwaps } from '@underbell/core/placement';
import { call } from '../platform/api.ts';

/** Columns that this place shows as others: offered first where a column seems to say who somebody is. */
const props = defineProps<{ datasets: readonly string[] }>();
const swaps = defineModel<ColumnSwaps>({ required: true });

const columns = shallowRef<Readonly<Record<string, readonly DatasetColumn[]>>>({});
watch(
  () => props.datasets.join(' '),
  async (list, _before, onCleanup) => {
    let isLate = false;
    onCleanup(() => (isLate = true));
    const names = list.split(' ').filter(Boolean);
    const found = await Promise.allSettled(
      names.map((one) => call<ShownDataset>('GET', `/api/v1/datasets/${encodeURIComponent(one)}`)),
    );
    if (isLate) return;
    // What one may not see, one cannot swap.
    columns.value = Object.fromEntries(
      found.flatMap((one, i) => (one.status === 'fulfilled' ? [[names[i], one.value.columns]] : [])),
    );
  },
  { immediate: true },
);
const texts = (dataset: string) => (columns.value[dataset] ?? []).filter((one) => one.type === 'text');
const labelOf = (one: DatasetColumn) => one.label ?? one.name;
const personal = computed(() =>
  Object.keys(columns.value).flatMap((dataset) =>
    texts(dataset)
      .filter((one) => seemsPersonal(one) && swaps.value[dataset]?.[one.name] === undefined)
      .map((one) => `${labelOf(one)} of ${dataset}`),
  ),
);
function set(dataset: string, column: string, to: string): void {
  const { [column]: _, ...others } = swaps.value[dataset] ?? {};
  const next = to === '' ? others : { ...others, [column]: to };
  const { [dataset]: _old, ...rest } = swaps.value;
  swaps.value = Object.keys(next).length > 0 ? { ...rest, [dataset]: next } : rest;
}
const valueOf = (event: Event) => (event.target as HTMLSelectElement).value;
</script>

<template>
  <p v-if="personal.length > 0" class="note" role="status">
    {{ personal.join(', ') }} can identify users. For a wide audience, substitute a less detailed column.
  </p>
  <details :open="personal.length > 0 || Object.keys(swaps).length > 0">
    <summary>Column substitutions in this placement</summary>
    <div class="fields">
      <template v-for="dataset in Object.keys(columns)" :key="dataset">
        <label v-for="one in texts(dataset)" :key="`${dataset} ${one.name}`"
          >{{ labelOf(one) }}, of {{ dataset }}
          <select :value="swaps[dataset]?.[one.name] ?? ''" @change="(event) => set(dataset, one.name, valueOf(event))">
            <option value="">as it is</option>
            <option v-for="other in texts(dataset).filter((it) => it !== one)" :key="other.name" :value="other.name">
              as {{ labelOf(other) }}
            </option>
          </select>
        </label>
      </template>
    </div>
  </details>
</template>

<style scoped>
.note {
  border-left: 3px solid var(--brass);
  padding-left: 0.8rem;
}
summary {
  cursor: pointer;
  margin-bottom: 0.4rem;
}
</style>
