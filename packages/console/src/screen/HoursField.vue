<script setup lang="ts">
import { Button } from 'ant-design-vue';
import type { Hours, WeekDay } from '@underbell/core/screen';
import type { HoursFields } from './playlist.ts';

/** When something is shown: stretches of some days of the week; always where there are none. */
defineProps<{ rules: readonly Hours[] }>();
const hours = defineModel<HoursFields[]>({ required: true });
const days: readonly (readonly [WeekDay, string])[] = [
  ['MO', 'Mon'],
  ['TU', 'Tue'],
  ['WE', 'Wed'],
  ['TH', 'Thu'],
  ['FR', 'Fri'],
  ['SA', 'Sat'],
  ['SU', 'Sun'],
];
</script>

<template>
  <fieldset class="plain">
    <legend>Hours</legend>
    <p v-if="hours.length === 0 && rules.length === 0" class="quiet">Always</p>
    <p v-for="(one, i) in hours" :key="i">
      <label>from <input v-model="one.from" class="plain" type="time" required /></label>
      <label>to <input v-model="one.to" class="plain" type="time" required /></label>
      <label v-for="[day, name] in days" :key="day"
        ><input v-model="one.days" type="checkbox" :value="day" /> {{ name }}</label
      >
      <span v-if="one.days.length === 0" class="quiet">every day</span>
      <Button size="small" :aria-label="`Remove ${one.from} to ${one.to}`" @click="hours.splice(i, 1)">Remove</Button>
    </p>
    <p v-for="one in rules" :key="JSON.stringify(one)" class="quiet">
      Recurrence: <code>{{ 'rule' in one ? one.rule : '' }}</code>
    </p>
    <Button size="small" @click="hours.push({ days: [], from: '06:00', to: '20:00' })">Add time window</Button>
  </fieldset>
</template>

<style scoped>
p {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 0.7rem;
  align-items: center;
  margin: 0.2rem 0;
}
</style>
