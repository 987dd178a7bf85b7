<script setup lang="ts">
import { onMounted, ref } from 'vue';

const props = defineProps<{ returnTo?: string }>();
const emit = defineEmits<{ signedIn: [] }>();
const email = ref('');
const password = ref('');
const failure = ref('');
const isBusy = ref(false);
const directory = ref('');

onMounted(async () => {
  const answer = await fetch('/api/v1/setup').catch(() => undefined);
  const { hasDirectory } = answer?.ok ? ((await answer.json()) as { hasDirectory: boolean }) : { hasDirectory: false };
  const back = props.returnTo ?? window.location.pathname + window.location.search;
  if (hasDirectory) directory.value = `/sign-in/sso?return=${encodeURIComponent(back)}`;
});

async function submit(): Promise<void> {
  isBusy.value = true;
  failure.value = '';
  try {
    const answer = await fetch('/api/v1/session', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ email: email.value, password: password.value }),
    });
    if (answer.ok) return emit('signedIn');
    const problem = (await answer.json()) as { detail: string };
    failure.value = problem.detail;
  } catch {
    failure.value = 'The service is not reachable. Try again later.';
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <form @submit.prevent="submit">
    <label>Email <input v-model="email" type="email" autocomplete="username" required /></label>
    <label>Password <input v-model="password" type="password" autocomplete="current-password" required /></label>
    <p v-if="failure" role="alert" class="failure">{{ failure }}</p>
    <button type="submit" :disabled="isBusy">Sign in</button>
    <p v-if="directory">or <a :href="directory">use single sign-on</a></p>
  </form>
</template>

<style scoped>
form {
  display: grid;
  gap: 0.8rem;
  max-width: 22rem;
  margin-top: 1rem;
}
label {
  display: grid;
  gap: 0.2rem;
  font-weight: 600;
}
input {
  font: inherit;
  padding: 0.4rem 0.6rem;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--raised);
  color: var(--ink);
}
button {
  background: var(--sea);
  color: var(--paper);
  border: 0;
  border-radius: 3px;
  padding: 0.5rem 1rem;
  justify-self: start;
  font-weight: 600;
}
.failure {
  color: var(--signal);
  margin: 0;
}
</style>
