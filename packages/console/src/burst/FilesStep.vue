<script setup lang="ts">
import { periodUnits } from '@underbell/core/burst/apiTypes';
import { Checkbox } from 'ant-design-vue';
import { computed, watch } from 'vue';
import SelectField from '../platform/SelectField.vue';
import type { DraftChoices } from './useDraftOptions.ts';
import type { Draft } from './draft.ts';

/** As which files a copy comes, and about which period. */
const draft = defineModel<Draft>({ required: true });
const props = defineProps<{ choices: DraftChoices }>();
/** Date parameters of the report, those that take a whole period first. */
const dates = computed(() =>
  props.choices.parameters
    .filter((one) => one.type === 'date')
    .sort((a, b) => Number(b.period ?? false) - Number(a.period ?? false)),
);
// A report that filters by a date would keep its own default in every run.
watch(
  () => [draft.value.periodUnit, dates.value] as const,
  ([unit, [first]]) => {
    if (unit !== '' && unit !== 'run' && draft.value.periodParameter === '' && first)
      draft.value.periodParameter = first.name;
  },
  { immediate: true },
);
const formats = [
  { value: 'pdf', label: 'PDF' },
  { value: 'png', label: 'Image of the page (PNG)' },
  { value: 'xlsx', label: 'Workbook' },
  { value: 'template', label: 'Workbook from template' },
  { value: 'csv', label: 'CSV' },
  { value: 'jsonl', label: 'JSON Lines' },
];
/** Encodings beside UTF-8, by where they are at home. */
const encodings: readonly (readonly [string, string])[] = [
  ['utf-16', 'UTF-16'],
  ['windows-1252', 'Windows-1252, Western Europe'],
  ['windows-1250', 'Windows-1250, Central Europe'],
  ['windows-1251', 'Windows-1251, Cyrillic'],
  ['windows-1253', 'Windows-1253, Greek'],
  ['iso-8859-15', 'ISO 8859-15, Western Europe'],
];
/** How cells of CSV are written, where the recipient's language does not say it. */
const csvFields = [
  {
    field: 'separator',
    label: 'CSV separator',
    usual: 'Comma',
    choices: { semicolon: 'Semicolon', tab: 'Tab', comma: 'Comma' },
  },
  { field: 'decimal', label: 'Decimal separator', usual: 'Dot', choices: { comma: 'Comma', dot: 'Dot' } },
  {
    field: 'dateOrder',
    label: 'Date order',
    usual: '2026-10-31',
    choices: { 'day-month-year': '31.10.2026', 'month-day-year': '10/31/2026', 'year-month-day': '2026-10-31' },
  },
  {
    field: 'headings',
    label: 'Column headings',
    usual: 'Names',
    choices: { label: 'Labels with units', name: 'Names' },
  },
] as const;
/** What is usual is not said; with the language of the recipient, each can be said on top of it. */
const optionsOf = ({ field, usual, choices }: (typeof csvFields)[number]) => {
  const isLocal = draft.value.byLanguage && field !== 'headings';
  const said = Object.entries(choices).filter(
    ([value, label]) => isLocal || label !== usual || draft.value[field] === value,
  );
  return [
    { value: '', label: isLocal ? 'As in the recipient’s language' : usual },
    ...said.map(([value, label]) => ({ value, label })),
  ];
};
const written = computed({
  get: () => {
    const { encoding, mark } = draft.value;
    if (encoding !== '' && encoding !== 'utf-8') return encoding;
    return mark ? 'marked' : '';
  },
  set: (value) => {
    draft.value.mark = value === 'marked';
    draft.value.encoding = value === 'marked' ? '' : value;
  },
});
const toggle = (value: string, isOn: boolean) =>
  (draft.value.formats = isOn ? [...draft.value.formats, value] : draft.value.formats.filter((one) => one !== value));
</script>

<template>
  <fieldset>
    <legend>Formats</legend>
    <Checkbox
      v-for="one in formats"
      :key="one.value"
      :checked="draft.formats.includes(one.value)"
      @update:checked="(isOn: boolean) => toggle(one.value, isOn)"
      >{{ one.label }}</Checkbox
    >
  </fieldset>
  <Checkbox v-if="draft.formats.includes('csv')" v-model:checked="draft.byLanguage" class="apart"
    >CSV in the recipient’s language (separator, decimal separator, dates)</Checkbox
  >
  <div class="fields">
    <label v-if="draft.formats.includes('template')"
      >Workbook template
      <select v-model="draft.template">
        <option v-for="one in choices.templates" :key="one.name" :value="one.name">
          {{ one.name }}
        </option>
      </select></label
    >
    <label
      >File name (without extension)
      <input v-model="draft.fileName" required placeholder="{burst}-{quay}-{period}" :aria-describedby="'fills'"
    /></label>
    <label
      >Period
      <select v-model="draft.periodUnit">
        <option value="">none (each recipient once)</option>
        <option v-for="unit in periodUnits" :key="unit" :value="unit">
          {{ unit === 'run' ? 'per run' : unit }}
        </option>
      </select></label
    >
    <label v-if="draft.periodUnit !== '' && draft.periodUnit !== 'run'"
      >Period parameter
      <select v-model="draft.periodParameter">
        <option v-if="dates.length === 0" value="">none</option>
        <option v-for="p in dates" :key="p.name" :value="p.name">
          {{ p.label ?? p.name }}
        </option>
      </select></label
    >
    <label v-if="choices.datasets.length > 1"
      >Rows from
      <select v-model="draft.rowsDataset">
        <option value="">select a dataset</option>
        <option v-for="d in choices.datasets" :key="d" :value="d">{{ d }}</option>
      </select></label
    >
    <template v-if="draft.formats.includes('csv')">
      <label v-for="one in csvFields" :key="one.field"
        >{{ one.label }} <SelectField v-model:value="draft[one.field]" :options="optionsOf(one)"
      /></label>
    </template>
    <label v-if="draft.formats.includes('csv')" class="wide"
      >CSV encoding
      <select v-model="written">
        <option value="">UTF-8</option>
        <option value="marked">UTF-8 with BOM</option>
        <option v-for="[value, words] in encodings" :key="value" :value="value">{{ words }}</option>
      </select></label
    >
    <label v-if="draft.formats.includes('pdf')"
      >PDF password
      <select v-model="draft.passwordColumn">
        <option value="">none</option>
        <option v-for="c in choices.columns" :key="c" :value="c">from column {{ c }}</option>
      </select></label
    >
    <label
      >Recipients without rows
      <select v-model="draft.empty">
        <option value="">skip</option>
        <option v-if="draft.kind === 'mail'" value="note">send message without files</option>
        <option value="refuse">reject the run</option>
      </select></label
    >
  </div>
  <p id="fills" class="quiet fills">Placeholders: {{ choices.fills }}</p>
</template>

<style scoped>
.apart {
  margin-bottom: 0.5rem;
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
</style>
