<script setup lang="ts">
import { Button, InputPassword, Spin } from 'ant-design-vue';
import { onMounted, ref, shallowRef } from 'vue';
import { useRouter } from 'vue-router';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { showInstant } from '../platform/format.ts';

/** The key stands behind the #, where it reaches neither server nor log, and is taken out of the address at once. */
const key = window.location.hash.slice(1);
const invitation = shallowRef<{ email: string; name: string; invitedBy: string; expiresAt: string }>();
const password = ref('');
const router = useRouter();
const { busy, problem, attempt } = useAttempt();

onMounted(() => {
  window.history.replaceState(null, '', window.location.pathname);
  void attempt('work', async () => {
    invitation.value = await call('POST', '/api/v1/invitations/lookup', { key });
  });
});
const accept = () =>
  attempt('work', async () => {
    await call('POST', '/api/v1/invitations/accept', { key, password: password.value });
    await router.push('/');
  });
</script>

<template>
  <section class="narrow">
    <h1>Accept invitation</h1>
    <ProblemNote v-if="problem" :problem="problem" />
    <template v-if="invitation">
      <p>
        {{ invitation.invitedBy }} invited you, {{ invitation.name }}. Choose a password for
        <b>{{ invitation.email }}</b>. The invitation expires on {{ showInstant(invitation.expiresAt) }}.
      </p>
      <form @submit.prevent="accept">
        <label>Password <InputPassword v-model:value="password" autocomplete="new-password" size="large" /></label>
        <p class="quiet">At least 12 characters. A phrase of unrelated words works well.</p>
        <Button type="primary" html-type="submit" size="large" :loading="busy !== ''" :disabled="password.length < 12"
          >Accept</Button
        >
      </form>
    </template>
    <Spin v-else-if="busy !== ''" />
  </section>
</template>

<style scoped>
.narrow {
  max-width: 28rem;
  margin: 3rem auto;
}
label {
  display: grid;
  gap: 0.25rem;
  font-weight: 600;
}
</style>
