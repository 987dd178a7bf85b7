<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

const { data, reload } = useResource<{ calendar: { madeAt: string; fetchedAt: string | null } | null }>(
  '/api/v1/calendar-feed',
);
const { busy, problem, attempt } = useAttempt();
const address = ref('');
const make = () =>
  attempt('work', async () => {
    address.value = (await call<{ address: string }>('POST', '/api/v1/calendar-feed', {})).address;
    await reload();
  });
const drop = () =>
  attempt('work', async () => {
    await call('DELETE', '/api/v1/calendar-feed');
    address.value = '';
    await reload();
  });
</script>

<template>
  <h2>Calendar feed</h2>
  <p class="quiet">
    Subscribe to the schedules you have access to in a calendar app. Anyone with the URL can read them. It is shown only
    once.
  </p>
  <p v-if="address" class="address" role="status">
    <code>{{ address }}</code>
  </p>
  <p v-else-if="data?.calendar">
    Created {{ showInstant(data.calendar.madeAt) }},
    {{ data.calendar.fetchedAt ? `last fetched ${showInstant(data.calendar.fetchedAt)}` : 'never fetched' }}.
  </p>
  <ProblemNote v-if="problem" :problem="problem" />
  <p class="row">
    <Button :loading="busy !== ''" @click="make">{{ data?.calendar ? 'Rotate URL' : 'Create feed' }}</Button>
    <Button v-if="data?.calendar" type="text" :disabled="busy !== ''" @click="drop">Revoke</Button>
  </p>
</template>

<style scoped>
.address code {
  padding: 0.3rem 0.5rem;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow-wrap: anywhere;
}
</style>
