<script setup lang="ts">
import { Button, Checkbox, Spin } from 'ant-design-vue';
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem, call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { emptyDraft, stepOf, toDefinition, toDraft, type Draft } from './draft.ts';
import ScheduleStep from './ScheduleStep.vue';

interface Report {
  readonly title: string;
  readonly definition: {
    readonly datasets: Readonly<Record<string, object>>;
    readonly parameters?: readonly { readonly name: string; readonly label?: string; readonly type: string }[];
    readonly pages: readonly { readonly name: string; readonly title: string }[];
  };
}
interface Checked {
  readonly isNew: boolean;
  readonly road: { readonly kind: string; readonly because: string };
  readonly words: string;
  readonly times: readonly { readonly at: string; readonly words: string; readonly periodWords?: string }[];
}

const props = defineProps<{ name?: string }>();
const router = useRouter();
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
const draft = reactive<Draft>(emptyDraft(zone));
const before = ref<object>({});
const isReady = ref(props.name === undefined);
const bursts = useResource<{ bursts: { name: string; definition: object }[] }>(() =>
  props.name === undefined ? undefined : '/api/v1/bursts',
);
watch(bursts.data, (found) => {
  const saved = found?.bursts.find((one) => one.name === props.name);
  if (!saved) return;
  before.value = saved.definition;
  Object.assign(draft, toDraft(saved.definition, zone));
  isReady.value = true;
});
const reports = useResource<{ reports: { name: string; title: string }[] }>('/api/v1/reports');
const lists = useResource<{ lists: { name: string; columns: string[]; recipients: number }[] }>('/api/v1/lists');
const destinations = useResource<{ destinations: { name: string; kind: string }[] }>('/api/v1/destinations');
const templates = useResource<{ templates: { name: string }[] }>('/api/v1/templates');
const report = useResource<Report>(() =>
  draft.report === '' ? undefined : `/api/v1/reports/${encodeURIComponent(draft.report)}`,
);
const parameters = computed(() => report.data.value?.definition.parameters ?? []);
const datasets = computed(() => Object.keys(report.data.value?.definition.datasets ?? {}));
const columns = computed(() => lists.data.value?.lists.find((one) => one.name === draft.list)?.columns ?? []);
const places = computed(() => (destinations.data.value?.destinations ?? []).filter((one) => one.kind === draft.kind));
const fills = computed(() =>
  [...columns.value, 'period', 'period_words', 'burst', 'title'].map((one) => `{${one}}`).join(' '),
);

// What is written is checked as a whole a moment after each change, by the same rules as when it is saved.
const checked = ref<Checked>();
const wrong = ref<ProblemDocument>();
let timer: number | undefined;
let newest = 0;
async function check(): Promise<void> {
  const turn = ++newest;
  try {
    const found = await call<Checked>('POST', '/api/v1/bursts/check', toDefinition(draft, before.value));
    if (turn !== newest) return;
    checked.value = found;
    wrong.value = undefined;
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error;
    if (turn !== newest) return;
    checked.value = undefined;
    wrong.value = error.document;
  }
}
watch(
  [draft, isReady],
  () => {
    window.clearTimeout(timer);
    if (isReady.value && draft.report !== '') timer = window.setTimeout(() => void check(), 400);
  },
  { deep: true },
);
onBeforeUnmount(() => window.clearTimeout(timer));

/** Problems by step: each is shown where it is mended. */
const problems = computed(() => {
  const document = wrong.value;
  if (!document) return new Map<number, string[]>();
  const all = document.problems?.length
    ? document.problems.map((one) => ({ at: one.at, words: `${one.at} ${one.message}`, hint: one.hint }))
    : [{ at: document.pointer, words: document.detail, hint: document.hint }];
  const found = new Map<number, string[]>();
  for (const { at, words, hint } of all) {
    const step = stepOf(at);
    found.set(step, [...(found.get(step) ?? []), hint ? `${words} – ${hint}` : words]);
  }
  return found;
});
const steps = [
  'What is sent',
  'To whom, and what each gets',
  'As which files',
  'Where to, and in which words',
  'When, and who releases it',
  'Check',
];
const { busy, problem, attempt } = useAttempt<'save'>();
const save = () =>
  attempt('save', async () => {
    await call('PUT', '/api/v1/bursts', toDefinition(draft, before.value));
    await router.push(`/sending/${draft.name}`);
  });
const formats = [
  { value: 'pdf', label: 'PDF of the page' },
  { value: 'png', label: 'Picture of the page' },
  { value: 'xlsx', label: 'Workbook' },
  { value: 'template', label: 'Prepared workbook, filled' },
  { value: 'csv', label: 'CSV of the rows' },
  { value: 'jsonl', label: 'JSON Lines of the rows' },
];
const toggle = (value: string, isOn: boolean) =>
  (draft.formats = isOn ? [...draft.formats, value] : draft.formats.filter((one) => one !== value));
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/sending">Sending</RouterLink
    ><template v-if="name">
      › <RouterLink :to="`/sending/${name}`">{{ name }}</RouterLink></template
    >
  </p>
  <h1>{{ name ? `Change ${draft.title || name}` : 'A new burst' }}</h1>
  <p class="quiet">
    Every recipient of a list gets their own filtered copy. What you write is checked as you write it; nothing is sent
    from here.
  </p>
  <Spin v-if="!isReady" />
  <form v-else @submit.prevent="save">
    <section v-for="(title, step) in steps" :key="title" :aria-label="title">
      <h2>
        <span class="step" aria-hidden="true">{{ step + 1 }}</span> {{ title }}
        <span v-if="problems.has(step)" class="bad">✕ something is wrong</span>
      </h2>
      <div v-if="step === 0" class="fields">
        <label
          >Report
          <select v-model="draft.report" required>
            <option value="" disabled>Choose a report</option>
            <option v-for="one in reports.data.value?.reports ?? []" :key="one.name" :value="one.name">
              {{ one.title }}
            </option>
          </select></label
        >
        <label
          >Page
          <select v-model="draft.page">
            <option value="">The first one</option>
            <option v-for="one in report.data.value?.definition.pages ?? []" :key="one.name" :value="one.name">
              {{ one.title }}
            </option>
          </select></label
        >
        <label>Title <input v-model="draft.title" required placeholder="Monthly quay pack" /></label>
        <label
          >Name, in addresses
          <input
            v-model="draft.name"
            required
            :readonly="name !== undefined"
            pattern="[a-z][a-z0-9\-]*"
            placeholder="quay-pack"
        /></label>
      </div>
      <template v-else-if="step === 1">
        <div class="fields">
          <label
            >Recipient list
            <select v-model="draft.list" required>
              <option value="" disabled>Choose a list</option>
              <option v-for="one in lists.data.value?.lists ?? []" :key="one.name" :value="one.name">
                {{ one.name }} ({{ one.recipients }})
              </option>
            </select></label
          >
          <label
            >Whose rules limit a copy
            <select v-model="draft.asSeenBy">
              <option value="sender">Mine alone</option>
              <option value="recipient">The recipient’s own as well; they must be people here</option>
            </select></label
          >
        </div>
        <div v-for="(one, i) in draft.bind" :key="`b${i}`" class="fields line">
          <label
            >The report’s
            <select v-model="one.parameter">
              <option v-for="p in parameters" :key="p.name" :value="p.name">{{ p.label ?? p.name }}</option>
            </select></label
          >
          <label
            >is in the list’s column
            <select v-model="one.column">
              <option v-for="c in columns" :key="c" :value="c">{{ c }}</option>
            </select></label
          >
          <Button @click="draft.bind.splice(i, 1)">Take away</Button>
        </div>
        <div v-for="(one, i) in draft.many" :key="`m${i}`" class="fields line">
          <label
            >The column
            <select v-model="one.column">
              <option v-for="c in columns" :key="c" :value="c">{{ c }}</option>
            </select></label
          >
          <label>holds several values, between them <input v-model="one.separator" required placeholder=";" /></label>
          <label
            >which come as
            <select
              :value="draft.each === one.column ? 'each' : 'one'"
              @change="draft.each = ($event.target as HTMLSelectElement).value === 'each' ? one.column : ''"
            >
              <option value="one">one copy together</option>
              <option value="each">a copy each</option>
            </select></label
          >
          <Button @click="draft.many.splice(i, 1)">Take away</Button>
        </div>
        <div v-for="(one, i) in draft.where" :key="`w${i}`" class="fields line">
          <label
            >Of the rows of
            <select v-model="one.dataset">
              <option v-for="d in datasets" :key="d" :value="d">{{ d }}</option>
            </select></label
          >
          <label class="wide"
            >those where (CQL2)
            <input v-model="one.text" placeholder="district = recipient('district') AND cancelled = FALSE"
          /></label>
          <Button @click="draft.where.splice(i, 1)">Take away</Button>
        </div>
        <p class="more">
          <Button
            size="small"
            @click="draft.bind.push({ parameter: parameters[0]?.name ?? '', column: columns[0] ?? '' })"
            >Fill a parameter from a column</Button
          >
          <Button size="small" @click="draft.many.push({ column: columns[0] ?? '', separator: ';' })"
            >A column with several values</Button
          >
          <Button size="small" @click="draft.where.push({ dataset: datasets[0] ?? '', text: '' })"
            >A condition on the recipient</Button
          >
        </p>
      </template>
      <template v-else-if="step === 2">
        <fieldset>
          <legend>Files of a copy</legend>
          <Checkbox
            v-for="one in formats"
            :key="one.value"
            :checked="draft.formats.includes(one.value)"
            @update:checked="(isOn: boolean) => toggle(one.value, isOn)"
            >{{ one.label }}</Checkbox
          >
        </fieldset>
        <div class="fields">
          <label v-if="draft.formats.includes('template')"
            >Prepared workbook
            <select v-model="draft.template">
              <option v-for="one in templates.data.value?.templates ?? []" :key="one.name" :value="one.name">
                {{ one.name }}
              </option>
            </select></label
          >
          <label
            >File names, without ending
            <input v-model="draft.fileName" required placeholder="{burst}-{quay}-{period}" :aria-describedby="'fills'"
          /></label>
          <label
            >A run is about
            <select v-model="draft.periodParameter">
              <option value="">no period: everybody gets it once</option>
              <option v-for="p in parameters.filter((one) => one.type === 'date')" :key="p.name" :value="p.name">
                {{ p.label ?? p.name }}
              </option>
            </select></label
          >
          <label v-if="draft.periodParameter"
            >counted in
            <select v-model="draft.periodUnit">
              <option value="month">months</option>
              <option value="day">days</option>
            </select></label
          >
          <label v-if="datasets.length > 1"
            >Rows come from
            <select v-model="draft.rowsDataset">
              <option value="">choose a dataset</option>
              <option v-for="d in datasets" :key="d" :value="d">{{ d }}</option>
            </select></label
          >
          <label v-if="draft.formats.includes('csv')"
            >CSV is separated by
            <select v-model="draft.separator">
              <option value="">commas</option>
              <option value="semicolon">semicolons</option>
              <option value="tab">tabs</option>
            </select></label
          >
          <label v-if="draft.formats.includes('pdf')"
            >PDF opens
            <select v-model="draft.passwordColumn">
              <option value="">without a password</option>
              <option v-for="c in columns" :key="c" :value="c">with the password in column {{ c }}</option>
            </select></label
          >
          <label
            >Whoever has no rows
            <select v-model="draft.empty">
              <option value="">is skipped</option>
              <option v-if="draft.kind === 'mail'" value="note">gets a note without files</option>
              <option value="refuse">stops the run before it starts</option>
            </select></label
          >
        </div>
        <p id="fills" class="quiet small">In names and words: {{ fills }}</p>
      </template>
      <template v-else-if="step === 3">
        <div class="fields">
          <label
            >Copies go
            <select v-model="draft.kind" @change="draft.to = ''">
              <option value="mail">by mail</option>
              <option value="library">into a file library</option>
              <option value="directory">into a directory of the host</option>
              <option value="webhook">to a program</option>
            </select></label
          >
          <label v-if="draft.kind !== 'mail' || places.length > 1"
            >Through
            <select v-model="draft.to" :required="draft.kind !== 'mail'">
              <option v-if="draft.kind === 'mail'" value="">the installation’s mail host</option>
              <option v-for="one in places" :key="one.name" :value="one.name">{{ one.name }}</option>
            </select></label
          >
          <label v-if="draft.kind === 'mail'"
            >Files travel
            <select v-model="draft.send">
              <option value="">with the letter</option>
              <option value="links">as links</option>
            </select></label
          >
          <label v-if="draft.kind === 'library' || draft.kind === 'directory'"
            >Folder <input v-model="draft.folder" placeholder="{district}/{period}"
          /></label>
          <label
            >Days that files are kept here <input v-model="draft.keepDays" inputmode="numeric" placeholder="0"
          /></label>
        </div>
        <p class="more">
          <Checkbox v-if="draft.kind === 'mail'" v-model:checked="draft.showsPage">The letter shows the page</Checkbox>
          <Checkbox v-if="draft.kind === 'mail'" v-model:checked="draft.unsubscribe"
            >Recipients can say that they want no more</Checkbox
          >
          <Checkbox v-if="draft.kind === 'library' || draft.kind === 'directory'" v-model:checked="draft.isAnnounced"
            >A letter says where the files lie</Checkbox
          >
        </p>
        <div v-if="draft.kind === 'mail' || draft.isAnnounced" class="fields letter">
          <label class="wide"
            >Subject <input v-model="draft.subject" required placeholder="Quay pack for {quay_name}, {period_words}"
          /></label>
          <label class="wide"
            >Words <textarea v-model="draft.message" rows="5" required placeholder="Hello {manager}, …"></textarea>
          </label>
          <label v-if="draft.empty === 'note'" class="wide"
            >Words for whoever has no rows <textarea v-model="draft.emptyMessage" rows="3"></textarea>
          </label>
        </div>
      </template>
      <ScheduleStep v-else-if="step === 4" v-model="draft" />
      <template v-else>
        <p v-if="draft.report === ''" class="quiet">Choose a report first.</p>
        <div v-else-if="checked" role="status">
          <p><b class="good">✓ All of it fits together.</b> Nothing is sent before somebody starts a run.</p>
          <p class="quiet">
            Rows and figures are read
            {{ checked.road.kind === 'one pass' ? 'in one pass for all' : 'with a query for each copy' }}:
            {{ checked.road.because }}. It runs {{ checked.words
            }}<template v-if="checked.times.length > 0"
              >; next {{ checked.times.map((one) => one.words).join(', ') }}</template
            >.
          </p>
        </div>
        <p v-else-if="wrong" class="bad">Something is still missing or wrong; it is said at its step.</p>
        <p class="more">
          <Button type="primary" html-type="submit" :disabled="!checked" :loading="busy === 'save'">Save</Button>
          <Button @click="router.back()">Leave it</Button>
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
.line {
  margin-top: 0.6rem;
}
.line :deep(button) {
  justify-self: start;
}
.letter {
  align-items: start;
  margin-top: 0.6rem;
}
.wide {
  grid-column: span 2;
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 1rem;
  margin: 0.8rem 0 0;
}
.small {
  font-size: 0.85em;
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
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 1rem;
  margin: 0 0 0.8rem;
  padding: 0;
  border: 0;
}
legend {
  padding: 0;
  margin: 0 0 0.25rem;
  border: 0;
  font-size: 1em;
}
textarea {
  width: 100%;
  padding: 0.3rem 0.5rem;
  font: inherit;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
}
@media (max-width: 40rem) {
  .wide {
    grid-column: auto;
  }
}
</style>
