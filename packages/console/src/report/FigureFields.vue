<script setup lang="ts">
import { computed } from 'vue';
import type { Completion } from '@codemirror/autocomplete';
import { tones, type ColourRule, type Figure } from '@underbell/core/report';
import { Button } from 'ant-design-vue';
import OrderedField from '../platform/OrderedField.vue';
import SeveralField from '../platform/SeveralField.vue';
import type { DefinitionNames } from './completeNames.ts';
import { fieldsOf, type FigureField } from './figureFields.ts';

/** What people change most of one figure. */
const props = defineProps<{ figure: Partial<Figure> & Record<string, unknown>; names: DefinitionNames }>();
const emit = defineEmits<{ set: [path: (string | number)[], value: unknown] }>();

const fields = computed(() => fieldsOf[props.figure.kind as Figure['kind']] ?? []);
const asOption = ({ label, detail }: Completion) => ({ value: label, label: detail ? `${detail} (${label})` : label });
const optionsOf = (takes: FigureField['takes']) => {
  if (takes === 'columns') return [...props.names.column].map(asOption);
  if (takes === 'measures') return [...props.names.measure].map(asOption);
  return takes === 'column' || takes === 'measure' || takes === 'parameter' ? props.names[takes].map(asOption) : [];
};
const textOf = (field: string) => {
  const value = props.figure[field];
  return typeof value === 'string' || typeof value === 'number' ? String(value) : '';
};
const listOf = (field: string) => {
  const value = props.figure[field];
  return Array.isArray(value) ? (value as string[]) : [];
};
const valueOf = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement).value;
/** An empty field is taken away from the text. */
const set = (field: string, value: string) => emit('set', [field], value.trim() === '' ? undefined : value);
const setNumber = (field: string, value: string) => emit('set', [field], value === '' ? undefined : Number(value));
const setList = (field: string, value: readonly string[], isNeeded: boolean) =>
  emit('set', [field], value.length === 0 && !isNeeded ? undefined : value);

const colours = computed(() =>
  Array.isArray(props.figure.colours) ? (props.figure.colours as ColourRule[]) : undefined,
);
const mayColour = computed(() => ['number', 'bar', 'table', 'crosstab'].includes(props.figure.kind ?? ''));
function addColour(): void {
  const rule = { when: '', tone: 'bad' };
  emit('set', ['colours'], [...(colours.value ?? []), rule]);
}
const dropColour = (at: number) => {
  const rest = (colours.value ?? []).filter((_, i) => i !== at);
  emit('set', rest.length > 0 ? ['colours', at] : ['colours'], undefined);
};
</script>

<template>
  <div class="fields">
    <label class="wide">Title <input :value="figure.title" @change="emit('set', ['title'], valueOf($event))" /></label>
    <template v-for="one in fields" :key="one.field">
      <label v-if="one.takes === 'words'"
        >{{ one.label }} <input :value="textOf(one.field)" @change="set(one.field, valueOf($event))"
      /></label>
      <label v-else-if="one.takes === 'text'" class="wide"
        >{{ one.label }}
        <textarea rows="3" :value="textOf(one.field)" @change="set(one.field, valueOf($event))" />
      </label>
      <label v-else-if="one.takes === 'number'"
        >{{ one.label }}
        <input
          type="number"
          min="1"
          :value="textOf(one.field)"
          placeholder="all"
          @change="setNumber(one.field, valueOf($event))"
      /></label>
      <label v-else-if="one.takes === 'yes'" class="yes"
        ><input
          type="checkbox"
          :checked="figure[one.field] === true"
          @change="emit('set', [one.field], ($event.target as HTMLInputElement).checked || undefined)"
        />
        {{ one.label }}</label
      >
      <label v-else-if="one.takes === 'column' || one.takes === 'measure' || one.takes === 'parameter'"
        >{{ one.label }}
        <select :value="textOf(one.field)" @change="set(one.field, valueOf($event))">
          <option v-if="'none' in one" value="">{{ one.none }}</option>
          <option v-for="option in optionsOf(one.takes)" :key="option.value" :value="option.value">
            {{ option.label }}
          </option>
        </select>
      </label>
      <label v-else-if="one.takes === 'choice'"
        >{{ one.label }}
        <select :value="textOf(one.field)" @change="set(one.field, valueOf($event))">
          <option v-for="option in one.choices" :key="option.value" :value="option.value">{{ option.label }}</option>
        </select>
      </label>
      <SeveralField
        v-else-if="one.takes === 'some'"
        :label="one.label"
        :options="one.choices"
        :value="listOf(one.field)"
        none=""
        @update:value="setList(one.field, $event, false)"
      />
      <OrderedField
        v-else
        class="wide"
        :label="one.label"
        :options="optionsOf(one.takes)"
        :value="listOf(one.field)"
        :least="figure.kind === 'table' && one.takes === 'measures' ? 0 : 1"
        @update:value="setList(one.field, $event, one.takes === 'columns')"
      />
    </template>
    <label class="wide">Subtitle <input :value="textOf('note')" @change="set('note', valueOf($event))" /></label>
  </div>
  <template v-if="mayColour">
    <div v-for="(rule, i) in colours ?? []" :key="i" class="rule">
      <label
        >Filter
        <input
          :value="rule.when"
          spellcheck="false"
          placeholder="on_time_share < 0.8"
          @change="emit('set', ['colours', i, 'when'], valueOf($event))"
      /></label>
      <label
        >it is
        <select :value="rule.tone" @change="emit('set', ['colours', i, 'tone'], valueOf($event))">
          <option v-for="tone in tones" :key="tone" :value="tone">{{ tone }}</option>
        </select>
      </label>
      <Button size="small" @click="dropColour(i)">Remove</Button>
    </div>
    <p><Button size="small" @click="addColour">Add colour rule</Button></p>
  </template>
</template>

<style scoped>
.yes {
  display: flex !important;
  gap: 0.4rem;
  align-items: center;
  min-height: 32px;
}
.yes input {
  width: auto;
  min-height: 0;
}
.rule {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  align-items: center;
  margin-top: 0.6rem;
}
.rule label {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
}
.rule input,
.rule select {
  font: inherit;
  min-height: 30px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
</style>
