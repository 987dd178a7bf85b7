<script setup lang="ts">
import type { HolidayList } from '@underbell/core/schedule';
import { Button } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import CalendarFeed from './CalendarFeed.vue';

const { data, error, reload } = useResource<{ holidays: HolidayList[] }>('/api/v1/holiday-calendars');
const { busy, problem, attempt } = useAttempt();
const wish = reactive({ name: '', title: '', days: '', file: '' });
const fileName = ref('');

async function take(file: File | undefined): Promise<void> {
  wish.file = file ? await file.text() : '';
  fileName.value = file?.name ?? '';
}
function change(one: HolidayList): void {
  Object.assign(wish, { name: one.name, title: one.title, days: one.days.join('\n'), file: '' });
  fileName.value = '';
}
const save = () =>
  attempt('work', async () => {
    const { name, title, days, file } = wish;
    await call('PUT', '/api/v1/holiday-calendars', { name, title, text: file || days });
    Object.assign(wish, { name: '', title: '', days: '', file: '' });
    fileName.value = '';
    await reload();
  });
const drop = (name: string) =>
  attempt('work', async () => {
    await call('DELETE', `/api/v1/holiday-calendars/${encodeURIComponent(name)}`);
    await reload();
  });
const show = (days: readonly string[]) => {
  const [first] = days;
  return `${days.length} ${days.length === 1 ? 'day' : 'days'}, from ${first ?? ''} to ${days.at(-1) ?? ''}`;
};
</script>

<template>
  <p class="crumbs"><RouterLink to="/bursts">Bursts</RouterLink></p>
  <h1>Holiday calendars</h1>
  <p class="quiet">On these days schedules do not run, or run on the next day. Select the calendar in the schedule.</p>
  <ProblemNote v-if="error" :problem="error" />
  <p v-else-if="data && data.holidays.length === 0" class="quiet">No holiday calendars.</p>
  <ul v-else-if="data" class="lists">
    <li v-for="one in data.holidays" :key="one.name">
      <b>{{ one.title }}</b> <span class="quiet">{{ one.name }}: {{ show(one.days) }}</span>
      <Button size="small" class="change" @click="change(one)">Edit</Button>
      <Button size="small" type="text" :disabled="busy !== ''" @click="drop(one.name)">Delete</Button>
    </li>
  </ul>
  <ProblemNote v-if="problem" :problem="problem" />
  <form class="fields" @submit.prevent="save">
    <label>Name <input v-model="wish.name" required placeholder="closures" /></label>
    <label>Title <input v-model="wish.title" required placeholder="Days without office" /></label>
    <label
      >Days, one per line
      <textarea v-model="wish.days" rows="4" placeholder="2026-12-25" :disabled="wish.file !== ''" />
    </label>
    <label
      >or a file: .ics or a list of days
      <input
        type="file"
        accept=".ics,.csv,.txt,text/calendar"
        @change="take(($event.target as HTMLInputElement).files?.[0])"
      /><span v-if="fileName" class="quiet">All-day events are imported; yearly events for ten years.</span>
    </label>
    <Button type="primary" html-type="submit" :loading="busy !== ''" :disabled="wish.days === '' && wish.file === ''"
      >Save</Button
    >
  </form>
  <CalendarFeed />
</template>

<style scoped>
.lists {
  padding: 0;
  list-style: none;
}
.lists li {
  padding: 0.25rem 0;
}
.change {
  margin-left: 0.6rem;
}
.fields {
  align-items: start;
  max-width: 46rem;
}
</style>
