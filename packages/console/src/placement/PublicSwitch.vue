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
      Public links are enabled. Owners can create them for reports without row rules and masks.
      <ConfirmAction title="Disable public links? All of them stop working." ok-text="Disable" @confirm="turn(false)">
        <Button size="small" :loading="busy === 'switch'">Disable public links</Button>
      </ConfirmAction>
    </template>
    <template v-else>
      Public links are disabled. Content is shown only after sign-in or with a token.
      <ConfirmAction
        title="Enable public links? Owners can then show their data without sign-in."
        ok-text="Enable"
        @confirm="turn(true)"
      >
        <Button size="small" :loading="busy === 'switch'">Enable public links</Button>
      </ConfirmAction>
    </template>
  </p>
  <ProblemNote v-if="problem" :problem="problem" />
</template>
