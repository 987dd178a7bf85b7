<script setup lang="ts">
import type { ListedReport, ShownReport } from '@underbell/core/report';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { readDropped, readFiles, textOf, type DraftFile } from './draftFiles.ts';

/** Where definitions come from: files and folders, a dataset's columns, another report. */
defineProps<{ datasets: readonly { readonly name: string; readonly title: string }[] }>();
const emit = defineEmits<{ take: [files: readonly DraftFile[]] }>();
const { busy, problem, attempt } = useAttempt<'start'>();
const reports = useResource<{ reports: ListedReport[] }>('/api/v1/reports');
async function drop(event: DragEvent): Promise<void> {
  if (event.dataTransfer) emit('take', await readDropped(event.dataTransfer.items));
}
async function pick(event: Event): Promise<void> {
  emit('take', await readFiles([...((event.target as HTMLInputElement).files ?? [])]));
}
const startFrom = (what: string) =>
  attempt('start', async () => {
    const [from, name] = what.split(' ') as [string, string];
    const definition =
      from === 'dataset'
        ? await call<object>('GET', `/api/v1/datasets/${encodeURIComponent(name)}/report-draft`)
        : (await call<ShownReport>('GET', `/api/v1/reports/${encodeURIComponent(name)}`)).definition;
    const own = from === 'dataset' ? definition : { ...definition, name: `${name}-2` };
    emit('take', [{ key: `start ${what}`, label: `from ${what}`, text: textOf(own) }]);
  });
</script>

<template>
  <div class="drop" @dragover.prevent @drop.prevent="drop">
    <p>Drop report or board files (JSON) here, or a folder.</p>
    <div class="starts">
      <label class="file"
        >Select files
        <input type="file" accept=".json,application/json" multiple aria-label="Select files" @change="pick"
      /></label>
      <label
        >Start from
        <select
          class="plain"
          :value="''"
          :disabled="busy === 'start'"
          @change="(event) => startFrom((event.target as HTMLSelectElement).value)"
        >
          <option value="" disabled>dataset or report</option>
          <optgroup label="Datasets">
            <option v-for="one in datasets" :key="one.name" :value="`dataset ${one.name}`">
              {{ one.title }}
            </option>
          </optgroup>
          <optgroup label="Reports">
            <option v-for="one in reports.data.value?.reports ?? []" :key="one.name" :value="`report ${one.name}`">
              {{ one.title }}
            </option>
          </optgroup>
        </select>
      </label>
    </div>
    <ProblemNote v-if="problem" :problem="problem" />
  </div>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--quiet);
  border-radius: 4px;
  padding: 0.7rem 1rem;
  margin-bottom: 1rem;
}
.drop p {
  margin: 0 0 0.5rem;
}
.starts {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 1.2rem;
  align-items: center;
}
</style>
