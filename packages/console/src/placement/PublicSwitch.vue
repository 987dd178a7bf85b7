<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** Whether anything of the installation may be shown to everybody: an administrator's to say. */
const emit = defineEmits<{ changed: [] }>();
const path = '/api/v1/public-links';
const { data, reload } = useResource<{ isOn: boolean }>(path);
const { busy, problem, attempt } = useAttempt<'switch'>();
const turn = (isOn: boolean) =>
  attempt('switch', async () => {
    await call('PUT', path, { isOn });
    await reload();
    emit('changed');
  });
</script>

<template>
  <p v-if="data" class="switch">
    <template v-if="data.isOn">
      Public links are on: who owns a report without row rules and masks may show it to everybody, for a while.
      <ConfirmAction
        title="Every public link shows nothing from now on. Switch them off?"
        ok-text="Switch off"
        @confirm="turn(false)"
      >
        <Button size="small" :loading="busy === 'switch'">Switch public links off</Button>
      </ConfirmAction>
    </template>
    <template v-else>
      Public links are off: nothing is shown to anybody who does not sign in or come with a token.
      <ConfirmAction
        title="Owners may then make links by which everybody sees their figures without signing in. Switch them on?"
        ok-text="Switch on"
        @confirm="turn(true)"
      >
        <Button size="small" :loading="busy === 'switch'">Switch public links on</Button>
      </ConfirmAction>
    </template>
  </p>
  <ProblemNote v-if="problem" :problem="problem" />
</template>
