<script setup lang="ts">
import { useResource } from '../platform/useResource.ts';
import type { Draft } from './draft.ts';

/** When a burst runs, who releases it and who hears of it. */
const draft = defineModel<Draft>({ required: true });
const { data: holidays } = useResource<{ holidays: { name: string; title: string }[] }>('/api/v1/holiday-calendars');
const schedules = [
  { rule: '', label: 'Manually' },
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
        <option v-if="!schedules.some((one) => one.rule === draft.rule)" value="own">custom recurrence</option>
      </select></label
    >
    <template v-if="draft.rule !== ''">
      <label class="wide">Recurrence (RFC 5545) <input v-model="draft.rule" spellcheck="false" /></label>
      <label>From <input v-model="draft.start" type="datetime-local" /></label>
      <label>Time zone <input v-model="draft.timeZone" /></label>
      <label
        >Missed runs
        <select v-model="draft.missed">
          <option value="">run late</option>
          <option value="skip">skip</option>
        </select></label
      >
      <label>Except on <input v-model="draft.except" placeholder="2026-12-25, 2027-01-01" /></label>
      <label
        >Holiday calendar
        <select v-model="draft.holidays">
          <option value="">none</option>
          <option v-for="one in holidays?.holidays ?? []" :key="one.name" :value="one.name">{{ one.title }}</option>
        </select></label
      >
      <label v-if="draft.holidays !== ''" class="wide"
        >On holidays
        <select v-model="draft.onHoliday">
          <option value="">skip</option>
          <option value="next">run on the next day</option>
        </select></label
      >
    </template>
    <label
      >After a refresh
      <select v-model="draft.afterRefresh">
        <option value="">do nothing</option>
        <option value="last">run for the last period, at most once a day</option>
        <option value="this">run for this period, at most once a day</option>
      </select></label
    >
    <label>Approvers <input v-model="draft.release" placeholder="none, or emails" /></label>
    <label class="wide"
      >Summary email
      <select v-model="draft.summary">
        <option value="">after automatic runs</option>
        <option value="always">always</option>
        <option value="never">never</option>
      </select></label
    >
  </div>
</template>
