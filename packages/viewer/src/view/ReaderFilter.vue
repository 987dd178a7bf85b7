<script setup lang="ts">
import { computed, nextTick, onMounted, ref, useId } from 'vue';
import { quoteIfNeeded } from '@underbell/core/filter';
import type { ViewApi } from './viewApi.ts';
import { ViewProblem } from './viewApi.ts';
import type { Viewing } from './viewing.ts';

/** A filter in the reader's own words (CQL2 text), completed as it is typed. It can only narrow. */
const props = defineProps<{ viewing: Viewing }>();
const emit = defineEmits<{ done: [] }>();

interface Offer {
  readonly insert: string;
  readonly label: string;
  readonly note: string;
}
type Column = Awaited<ReturnType<ViewApi['words']>>['columns'][number];

const id = useId();
const text = ref(props.viewing.question.value.where ?? '');
const input = ref<HTMLInputElement>();
const columns = ref<readonly Column[]>([]);
const offers = ref<readonly Offer[]>([]);
const active = ref(-1);
const trouble = ref('');
let turn = 0;

const { api, question } = props.viewing;
onMounted(async () => {
  input.value?.focus();
  columns.value = (await api.words(question.value, {}).catch(() => ({ columns: [] }))).columns;
  // Whoever typed faster than the columns came gets their suggestions now.
  void complete();
});

const quoted = (value: string, column: Column) =>
  column.type === 'text' ? `'${value.replaceAll("'", "''")}'` : column.type === 'date' ? `DATE('${value}')` : value;

/** What stands before the caret: the start of a column's name, or of a value after a comparison. */
async function complete(): Promise<void> {
  const mine = ++turn;
  active.value = -1;
  const before = text.value.slice(0, input.value?.selectionStart ?? text.value.length);
  const value =
    /(?:"([^"]+)"|([\p{L}_][\p{L}\p{N}_]*))\s*(?:=|<>|<=|>=|<|>|IN\s*\((?:[^()]*,)?)\s*'?([^',()]*)$/iu.exec(before);
  const column = value && columns.value.find((one) => one.name === (value[1] ?? value[2]));
  if (column && column.type !== 'instant') {
    const starts = value[3]!.trim();
    const found = await api
      .words(question.value, { column: column.name, starts })
      .catch(() => ({ values: [] as string[] }));
    if (mine !== turn) return;
    offers.value = found.values
      .slice(0, 8)
      .map((one) => ({ insert: quoted(one, column), label: one, note: column.label }));
    return;
  }
  const word = /[\p{L}_][\p{L}\p{N}_]*$/u.exec(before)?.[0] ?? '';
  const isStart = before.trim() === '' || /(^|\(|\bAND|\bOR|\bNOT)\s*[\p{L}\p{N}_]*$/iu.test(before);
  offers.value = isStart
    ? columns.value
        .filter((one) => `${one.name} ${one.label}`.toLowerCase().includes(word.toLowerCase()))
        .slice(0, 8)
        .map((one) => ({ insert: `${quoteIfNeeded(one.name)} `, label: one.label, note: one.name }))
    : [];
}

async function take(offer: Offer): Promise<void> {
  const caret = input.value?.selectionStart ?? text.value.length;
  const before = text.value.slice(0, caret).replace(/(?:'[^']*|[\p{L}\p{N}_.:-]*)$/u, '');
  text.value = `${before}${offer.insert}${text.value.slice(caret)}`;
  offers.value = [];
  await nextTick();
  const at = before.length + offer.insert.length;
  input.value?.focus();
  input.value?.setSelectionRange(at, at);
  void complete();
}

async function apply(): Promise<void> {
  const chosen = offers.value[active.value];
  if (chosen) return take(chosen);
  trouble.value = '';
  const where = text.value.trim();
  if (where === '') {
    props.viewing.setWhere(undefined);
    return emit('done');
  }
  try {
    // Tried before it is set, so that a mistake does not take the page away.
    await api.view({ ...question.value, where });
    props.viewing.setWhere(where);
    emit('done');
  } catch (error) {
    if (!(error instanceof ViewProblem)) throw error;
    const { detail, hint, position } = error.document;
    trouble.value = [detail, ...(position ? [`(column ${position.column})`] : []), ...(hint ? [`– ${hint}`] : [])].join(
      ' ',
    );
  }
}
function move(step: number): void {
  if (offers.value.length > 0) active.value = (active.value + step + offers.value.length) % offers.value.length;
}
function escape(): void {
  if (offers.value.length > 0) offers.value = [];
  else emit('done');
}
const activeId = computed(() => (active.value >= 0 ? `${id}-${active.value}` : undefined));
</script>

<template>
  <form class="filter no-print" @submit.prevent="apply" @keydown.esc="escape">
    <label :for="id">Filter</label>
    <div class="field">
      <input
        :id="id"
        ref="input"
        v-model="text"
        type="text"
        role="combobox"
        autocomplete="off"
        spellcheck="false"
        aria-autocomplete="list"
        :aria-expanded="offers.length > 0"
        :aria-controls="`${id}-list`"
        :aria-activedescendant="activeId"
        placeholder="route_name = 'Hervane ring' AND delay_minutes > 10"
        @input="complete"
        @focus="complete"
        @keydown.down.prevent="move(1)"
        @keydown.up.prevent="move(-1)"
      />
      <ul v-show="offers.length > 0" :id="`${id}-list`" role="listbox" aria-label="Suggestions">
        <li
          v-for="(offer, index) in offers"
          :id="`${id}-${index}`"
          :key="offer.insert"
          role="option"
          :aria-selected="index === active"
          @mousedown.prevent="take(offer)"
        >
          {{ offer.label }} <small>{{ offer.note }}</small>
        </li>
      </ul>
    </div>
    <button type="submit">Apply</button>
    <button type="button" class="quiet" @click="emit('done')">Cancel</button>
    <p v-if="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.filter {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.4rem 0.6rem;
  margin: 0 0 0.7rem;
  font-size: 0.9375rem;
}
.field {
  position: relative;
  flex: 1 1 16rem;
}
input {
  font: inherit;
  width: 100%;
  min-height: 30px;
  padding: 0.15rem 0.5rem;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--quiet);
  border-radius: 3px;
}
ul {
  position: absolute;
  z-index: 20;
  left: 0;
  right: 0;
  top: 100%;
  margin: 2px 0 0;
  padding: 0.25rem;
  list-style: none;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
}
li {
  padding: 0.2rem 0.5rem;
  border-radius: 3px;
  cursor: pointer;
}
li[aria-selected='true'],
li:hover {
  background: color-mix(in srgb, var(--line) 60%, transparent);
}
li small {
  color: var(--quiet);
  font-size: 0.8125rem;
}
button {
  border: 1px solid var(--sea);
  background: none;
  color: var(--sea);
  border-radius: 3px;
  padding: 0.1rem 0.8rem;
  min-height: 30px;
}
.quiet {
  border-color: transparent;
}
p {
  flex-basis: 100%;
  margin: 0;
  color: var(--signal);
}
</style>
