<script setup lang="ts">
import { useResource } from '../platform/useResource.ts';
import type { Draft } from './draft.ts';

/** When a burst runs, who releases it and who hears of it. */
const draft = defineModel<Draft>({ required: true });
const { data: holidays } = useResource<{ holidays: { name: string; title: string }[] }>('/api/v1/holiday-calendars');
const schedules = [
  { rule: '', label: 'Only when somebody starts it' },
  { rule: 'FREQ=DAILY;BYHOUR=6;BYMINUTE=0', label: 'Every day at 06:00' },
  { rule: 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR;BYHOUR=6;BYMINUTE=0', label: 'Every working day at 06:00' },
  { rule: 'FREQ=WEEKLY;BYDAY=MO;BYHOUR=6;BYMINUTE=0', label: 'Every Monday at 06:00' },
  { rule: 'FREQ=MONTHLY;BYMONTHDAY=2;BYHOUR=6;BYMINUTE=0', label: 'On the 2nd of every month at 06:00' },
  { rule: 'FREQ=MONTHLY;BYDAY=1MO;BYHOUR=6;BYMINUTE=0', label: 'On the first Monday of every month at 06:00' },
];
const pickSchedule = (rule: string) => {
  draft.value.rule = rule;
  if (rule !== '' && draft.value.start === '') draft.value.start = new Date().toISOString().slice(0, 11) + '06:00';
};
</script>

<template>
  <div class="fields">
    <label
      >Runs
      <select
        :value="schedules.some((one) => one.rule === draft.rule) ? draft.rule : 'own'"
        @change="pickSchedule(($event.target as HTMLSelectElement).value)"
      >
        <option v-for="one in schedules" :key="one.rule" :value="one.rule">{{ one.label }}</option>
        <option v-if="!schedules.some((one) => one.rule === draft.rule)" value="own">By a rule of its own</option>
      </select></label
    >
    <template v-if="draft.rule !== ''">
      <label class="wide">As a rule (RFC 5545) <input v-model="draft.rule" spellcheck="false" /></label>
      <label>From <input v-model="draft.start" type="datetime-local" /></label>
      <label>Time zone <input v-model="draft.timeZone" /></label>
      <label
        >A time missed while the service was down
        <select v-model="draft.missed">
          <option value="">is run late</option>
          <option value="skip">is skipped</option>
        </select></label
      >
      <label>Not on these days <input v-model="draft.except" placeholder="2026-12-25, 2027-01-01" /></label>
      <label
        >On holidays of
        <select v-model="draft.holidays">
          <option value="">no list: they are days like others</option>
          <option v-for="one in holidays?.holidays ?? []" :key="one.name" :value="one.name">{{ one.title }}</option>
        </select></label
      >
      <label v-if="draft.holidays !== ''" class="wide"
        >on those
        <select v-model="draft.onHoliday">
          <option value="">it does not run</option>
          <option value="next">it runs on the next day that is none</option>
        </select></label
      >
    </template>
    <label
      >After its data was loaded anew
      <select v-model="draft.afterRefresh">
        <option value="">nothing happens</option>
        <option value="last">it runs, once a day at most, for the last period</option>
        <option value="this">it runs, once a day at most, for this period</option>
      </select></label
    >
    <label
      >A second person releases each run <input v-model="draft.release" placeholder="nobody has to; or addresses"
    /></label>
    <label class="wide"
      >A letter to you after a run
      <select v-model="draft.summary">
        <option value="">when nobody started it by hand</option>
        <option value="always">always</option>
        <option value="never">never</option>
      </select></label
    >
  </div>
</template>
