<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import { columnTypes, type ColumnType } from '@underbell/core/dataset';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem, call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { showCount } from '../platform/words.ts';

interface Examined {
  readonly id: string;
  readonly kind: string;
  readonly fileName: string;
  readonly rows: number;
  readonly columns: readonly {
    name: string;
    heading: string;
    type: ColumnType;
    missing: number;
    samples: string[];
    misfits: { type: ColumnType; count: number; first: { row: number; value: string }[] }[];
  }[];
}

const router = useRouter();
const { busy, problem, attempt } = useAttempt<'examine' | 'load'>();
const found = ref<Examined>();
const name = ref('');
const title = ref('');
const settled = ref<{ name: string; type: ColumnType; label: string; key: string }[]>([]);
const isLenient = ref(false);
const isForced = ref(false);

const toName = (file: string) =>
  file
    .replace(/\.[^.]+$/, '')
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .replace(/^(?=[0-9])/, 'd-');
async function take(file: File | undefined): Promise<void> {
  if (!file) return;
  await attempt('examine', async () => {
    found.value = undefined;
    const answer = await fetch(`/api/v1/uploads?file=${encodeURIComponent(file.name)}`, {
      method: 'POST',
      headers: { 'Content-Type': file.type || 'application/octet-stream' },
      body: file,
    });
    const said: unknown = await answer.json();
    if (!answer.ok) throw new ApiProblem(said as ProblemDocument);
    found.value = said as Examined;
    name.value = toName(file.name);
    title.value = file.name.replace(/\.[^.]+$/, '');
    settled.value = found.value.columns.map((one) => ({
      name: one.name,
      type: one.type,
      label: one.heading === one.name ? '' : one.heading,
      key: '',
    }));
  });
}
const misfits = (index: number) =>
  found.value?.columns[index]?.misfits.find((one) => one.type === settled.value[index]?.type);
const badCells = computed(() => settled.value.reduce((sum, _, i) => sum + (misfits(i)?.count ?? 0), 0));
const load = () =>
  attempt('load', async () => {
    const columns = settled.value.map(({ name: column, type, label, key }) => ({
      name: column,
      type,
      ...(label ? { label } : {}),
      ...(key ? { key } : {}),
    }));
    await call('POST', `/api/v1/uploads/${found.value!.id}/load${isForced.value ? '?force=true' : ''}`, {
      name: name.value,
      title: title.value,
      columns,
      badCells: isLenient.value ? 'empty' : 'refuse',
    });
    await router.push(`/data/${name.value}`);
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/data">Data</RouterLink></p>
  <h1>Upload a file</h1>
  <p class="quiet">
    CSV (UTF-8), JSON Lines, or the first sheet of a workbook. You see what was understood before anything is stored.
  </p>
  <label class="drop" @dragover.prevent @drop.prevent="take($event.dataTransfer?.files[0])">
    <span>{{ busy === 'examine' ? 'Looking at every cell …' : 'Choose a file, or drop it here' }}</span>
    <input
      type="file"
      accept=".csv,.jsonl,.ndjson,.xlsx,.txt"
      @change="take(($event.target as HTMLInputElement).files?.[0])"
    />
  </label>
  <ProblemNote v-if="problem" :problem="problem" />
  <template v-if="found">
    <h2>{{ found.fileName }}: {{ showCount(found.rows) }} rows</h2>
    <div class="row">
      <label>Title <input v-model="title" /></label>
      <label>Name <input v-model="name" spellcheck="false" /></label>
    </div>
    <div class="scroll" tabindex="0" role="region" aria-label="Columns of the file">
      <table>
        <thead>
          <tr>
            <th
              v-for="head in ['Column', 'Type', 'Label', 'Key', 'Some cells', 'Empty', 'Cells that do not fit']"
              :key="head"
              scope="col"
            >
              {{ head }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(column, i) in found.columns" :key="column.name">
            <td>
              <code>{{ column.name }}</code>
            </td>
            <td>
              <select v-model="settled[i]!.type" :aria-label="`Type of ${column.name}`">
                <option v-for="type in columnTypes" :key="type">{{ type }}</option>
              </select>
            </td>
            <td><input v-model="settled[i]!.label" :aria-label="`Label of ${column.name}`" /></td>
            <td><input v-model="settled[i]!.key" :aria-label="`Key of ${column.name}`" /></td>
            <td>
              <span v-for="sample in column.samples" :key="sample" class="sample">{{ sample }}</span>
            </td>
            <td class="number">{{ showCount(column.missing) }}</td>
            <td>
              <template v-if="misfits(i)">
                <b>{{ showCount(misfits(i)!.count) }}</b>:
                <span v-for="one in misfits(i)!.first" :key="one.row" class="sample"
                  >row {{ one.row }} “{{ one.value }}”</span
                >
              </template>
              <span v-else class="quiet">none</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="badCells > 0">
      <label
        ><input v-model="isLenient" type="checkbox" /> Let the {{ showCount(badCells) }} cells that do not fit count as
        missing</label
      >
    </p>
    <p v-if="problem?.code === 'REFRESH_BREAKS'">
      <label><input v-model="isForced" type="checkbox" /> Load it although what is listed above stops working</label>
    </p>
    <p>
      <Button type="primary" :loading="busy === 'load'" :disabled="badCells > 0 && !isLenient" @click="load"
        >Load</Button
      >
    </p>
  </template>
</template>

<style scoped>
.drop {
  display: grid;
  gap: 0.5rem;
  justify-items: center;
  border: 1px dashed var(--quiet);
  border-radius: 4px;
  padding: 1.4rem;
  background: var(--raised);
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 1rem;
  margin-bottom: 0.8rem;
}
.scroll {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  font-size: 0.9375rem;
  width: 100%;
}
th {
  text-align: left;
  color: var(--quiet);
  border-bottom: 1px solid var(--quiet);
}
th,
td {
  padding: 0.3rem 0.7rem 0.3rem 0;
  vertical-align: top;
}
td {
  border-bottom: 1px solid var(--line);
}
.number {
  text-align: right;
}
.sample {
  display: inline-block;
  margin-right: 0.6rem;
  color: var(--quiet);
}
input:not([type='checkbox'], [type='file']),
select {
  font: inherit;
  height: 30px;
  padding: 0 0.4rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
  min-width: 6rem;
}
</style>
