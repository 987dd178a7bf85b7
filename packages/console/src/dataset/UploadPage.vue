<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import {
  thingName,
  columnTypes,
  dateOrders,
  decimalSigns,
  fileEncodings,
  fileSeparators,
  type ColumnType,
  type ExaminedUpload,
} from '@underbell/core/dataset';
import { call, sendFile } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { showCount } from '../platform/format.ts';

const props = defineProps<{ dataset?: string }>();
const router = useRouter();
const { busy, problem, attempt } = useAttempt<'examine' | 'load'>();
const found = ref<ExaminedUpload>();
const name = ref('');
const title = ref('');
const settled = ref<{ name: string; type: ColumnType; label: string; key: string; unit: string }[]>([]);
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
const chosen = ref<File>();
const said = ref<Record<'encoding' | 'separator' | 'decimal' | 'dates', string>>({
  encoding: '',
  separator: '',
  decimal: '',
  dates: '',
});
const choices = [
  { what: 'separator', label: 'Separator', values: fileSeparators },
  { what: 'encoding', label: 'Encoding', values: fileEncodings },
  { what: 'decimal', label: 'Decimal separator', values: decimalSigns },
  { what: 'dates', label: 'Dates', values: dateOrders },
] as const;

async function look(file: File): Promise<void> {
  await attempt('examine', async () => {
    if (found.value) await call('DELETE', `/api/v1/uploads/${found.value.id}`);
    found.value = undefined;
    const given = Object.entries(said.value).filter(([, value]) => value !== '');
    // What was settled for earlier files of the same dataset is shown, and holds.
    if (thingName.test(name.value)) given.push(['dataset', name.value]);
    const query = { file: file.name, ...Object.fromEntries(given) };
    found.value = await sendFile<ExaminedUpload>('POST', '/api/v1/uploads', query, file);
    settled.value = found.value.columns.map((one) => ({
      name: one.name,
      type: one.type,
      label: one.label ?? (one.heading === one.name ? '' : one.heading),
      key: one.key ?? '',
      unit: one.unit ?? '',
    }));
  });
}
async function take(file: File | undefined): Promise<void> {
  if (!file) return;
  chosen.value = file;
  said.value = { encoding: '', separator: '', decimal: '', dates: '' };
  name.value = props.dataset ?? toName(file.name);
  title.value = props.dataset ? '' : file.name.replace(/\.[^.]+$/, '');
  await look(file);
}
/** Says how the file is written; it is looked at anew. */
async function say(what: keyof typeof said.value, value: string): Promise<void> {
  said.value = { ...said.value, [what]: value };
  if (chosen.value) await look(chosen.value);
}
const isTextFile = computed(() => found.value === undefined || found.value.kind === 'csv');
const shownChoices = computed(() => choices.filter((one) => isTextFile.value || one.what === 'dates'));
/** Two ways of reading matter only while a column is read as a number or a date. */
const questions = computed(() =>
  (found.value?.questions ?? []).filter((one) =>
    one.columns.some((column) => settled.value.find((now) => now.name === column)?.type !== 'text'),
  ),
);
const misfits = (index: number) =>
  found.value?.columns[index]?.misfits.find((one) => one.type === settled.value[index]?.type);
/** The type that most cells of a column of text fit. */
const near = (index: number) => (settled.value[index]?.type === 'text' ? found.value?.columns[index]?.near : undefined);
const badCells = computed(() => settled.value.reduce((sum, _, i) => sum + (misfits(i)?.count ?? 0), 0));
const load = () =>
  attempt('load', async () => {
    const columns = settled.value.map(({ name: column, type, label, key, unit }) => ({
      name: column,
      type,
      ...(label ? { label } : {}),
      ...(key ? { key } : {}),
      ...(unit ? { unit } : {}),
    }));
    await call('POST', `/api/v1/uploads/${found.value!.id}/import${isForced.value ? '?force=true' : ''}`, {
      name: name.value,
      ...(title.value ? { title: title.value } : {}),
      columns,
      badCells: isLenient.value ? 'empty' : 'refuse',
    });
    await router.push(`/data/${name.value}`);
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/data">Data</RouterLink></p>
  <h1>Upload a file</h1>
  <p class="quiet">CSV, JSON Lines or the first sheet of an .xlsx file. Check the result before you import.</p>
  <label class="drop" @dragover.prevent @drop.prevent="take($event.dataTransfer?.files[0])">
    <span>{{ busy === 'examine' ? 'Checking the file …' : 'Select a file or drop it here' }}</span>
    <input
      type="file"
      accept=".csv,.jsonl,.ndjson,.xlsx,.txt"
      @change="take(($event.target as HTMLInputElement).files?.[0])"
    />
  </label>
  <ProblemNote v-if="problem" :problem="problem" />
  <div v-if="chosen" class="row">
    <label v-for="one in shownChoices" :key="one.what"
      >{{ one.label }}
      <select :value="said[one.what]" @change="say(one.what, ($event.target as HTMLSelectElement).value)">
        <option value="">detected</option>
        <option v-for="value in one.values" :key="value">{{ value }}</option>
      </select></label
    >
  </div>
  <template v-if="found">
    <h2>{{ found.fileName }}: {{ showCount(found.rows) }} rows</h2>
    <div class="row">
      <label>Title <input v-model="title" :placeholder="dataset ? 'unchanged' : ''" /></label>
      <label>Name <input v-model="name" spellcheck="false" @change="chosen && look(chosen)" /></label>
    </div>
    <p v-if="found.readAs" class="quiet">Read as {{ found.readAs }}.</p>
    <div v-for="question in questions" :key="question.about" class="question" role="group">
      <p>
        <b>{{ question.columns.join(', ') }}</b>: row {{ question.cell.row }} “{{ question.cell.value }}” is ambiguous.
        Select the meaning.
      </p>
      <p>
        <Button v-for="one in question.readings" :key="one.say" @click="say(question.about, one.say)"
          >{{ one.as }} ({{ one.say }})</Button
        >
      </p>
    </div>
    <div class="scroll" tabindex="0" role="region" aria-label="Columns of the file">
      <table>
        <thead>
          <tr>
            <th
              v-for="head in ['Column', 'Type', 'Label', 'Key', 'Unit', 'Some cells', 'Empty', 'Cells that do not fit']"
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
            <td><input v-model="settled[i]!.unit" class="short" :aria-label="`Unit of ${column.name}`" /></td>
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
              <template v-else-if="near(i)">
                {{ showCount(near(i)!.fitting) }} values are {{ near(i)!.type }}s, {{ showCount(near(i)!.count) }} are
                not:
                <span v-for="one in near(i)!.first" :key="one.row" class="sample"
                  >row {{ one.row }} “{{ one.value }}”</span
                >
                <Button size="small" @click="settled[i]!.type = near(i)!.type">Read as {{ near(i)!.type }}</Button>
              </template>
              <span v-else class="quiet">none</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="badCells > 0">
      <label
        ><input v-model="isLenient" type="checkbox" /> Import the {{ showCount(badCells) }} invalid values as
        empty</label
      >
    </p>
    <p v-if="problem?.code === 'REFRESH_BREAKS'">
      <label
        ><input v-model="isForced" type="checkbox" /> Import although the items listed above will stop working</label
      >
    </p>
    <p>
      <Button
        type="primary"
        :loading="busy === 'load'"
        :disabled="(badCells > 0 && !isLenient) || questions.length > 0"
        @click="load"
        >Import</Button
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
.question {
  border-left: 3px solid var(--brass);
  padding: 0.3rem 0.8rem;
  margin-bottom: 0.8rem;
}
.question :deep(button) {
  margin-right: 0.5rem;
}
input.short {
  min-width: 3rem;
  width: 4rem;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 1rem;
  margin: 0.8rem 0;
}
.row label {
  display: inline-flex;
  align-items: center;
  gap: 0.4rem;
}

.scroll {
  overflow-x: auto;
  margin-bottom: 1rem;
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
