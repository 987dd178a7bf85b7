<script setup lang="ts">
import { DatePicker } from 'ant-design-vue';
import { computed } from 'vue';
import type { PeriodUnit } from '@underbell/core/burst/apiTypes';
import { addDays, spanFrom, spanName, spanWords, startOf } from '@underbell/core/report';

/** A stretch of time as a burst counts them: picked, never typed. */
const period = defineModel<string>({ required: true });
const props = defineProps<{ unit: Exclude<PeriodUnit, 'run'> }>();

const today = () => new Date().toISOString().slice(0, 10);
const year = computed(() => Number(period.value.slice(0, 4)) || Number(today().slice(0, 4)));
const years = computed(() => {
  const last = Math.max(Number(today().slice(0, 4)) + 1, year.value);
  const first = Math.min(last - 10, year.value);
  return Array.from({ length: last - first + 1 }, (_, i) => last - i);
});
const label = { day: 'Day', week: 'Week', month: 'Month', quarter: 'Quarter', year: 'Year' } as const;

/** The stretches of a year, each by its name and in words. */
const choices = computed(() => {
  const { unit } = props;
  if (unit === 'day' || unit === 'year') return [];
  const found: { name: string; words: string }[] = [];
  // The first week of a year is the one with its first Thursday.
  let start = unit === 'week' ? startOf(`${year.value}-01-04`, 'week') : `${year.value}-01-01`;
  for (;;) {
    const name = spanName(start, unit);
    if (!name.startsWith(`${year.value}-`)) return found;
    const span = spanFrom(start, unit);
    const rest = name.slice(5);
    const words =
      unit === 'month'
        ? spanWords(span, 'en-GB').replace(/ \d{4}$/, '')
        : unit === 'week'
          ? `${rest}: ${spanWords(span, 'en-GB')}`
          : rest;
    found.push({ name, words });
    start = addDays(span.to, 1);
  }
});
/** The same place in another year, or the last that it has. */
function pickYear(picked: number): void {
  if (props.unit === 'year') return void (period.value = String(picked));
  const at = choices.value.findIndex((one) => one.name === period.value);
  period.value = `${picked}${period.value.slice(4)}`;
  if (!choices.value.some((one) => one.name === period.value))
    period.value = choices.value[Math.min(Math.max(at, 0), choices.value.length - 1)]!.name;
}
</script>

<template>
  <span class="period" role="group" aria-label="Period">
    {{ label[unit] }}
    <DatePicker v-if="unit === 'day'" v-model:value="period" value-format="YYYY-MM-DD" :allow-clear="false" />
    <template v-else>
      <select v-if="unit !== 'year'" v-model="period" :aria-label="label[unit]">
        <option v-for="one in choices" :key="one.name" :value="one.name">{{ one.words }}</option>
      </select>
      <select :value="year" aria-label="Year" @change="pickYear(Number(($event.target as HTMLSelectElement).value))">
        <option v-for="one in years" :key="one" :value="one">{{ one }}</option>
      </select>
    </template>
  </span>
</template>

<style scoped>
.period {
  display: inline-flex;
  align-items: center;
  gap: 0.4rem;
}
select {
  font: inherit;
  height: 32px;
  padding: 0 0.4rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
</style>
