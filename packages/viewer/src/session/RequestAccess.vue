<script setup lang="ts">
import { onBeforeUnmount, ref } from 'vue';
import { ViewProblem } from '../view/viewApi.ts';

const props = defineProps<{ ask: (words: string) => Promise<void> }>();
const emit = defineEmits<{ retry: [] }>();
const words = ref('');
const state = ref<'' | 'asking' | 'asked'>('');
const failure = ref('');

/** Answered, it opens by itself. */
const againMs = 4_000;
let timer: number | undefined;
onBeforeUnmount(() => window.clearInterval(timer));

async function submit(): Promise<void> {
  state.value = 'asking';
  failure.value = '';
  try {
    await props.ask(words.value);
    state.value = 'asked';
    timer = window.setInterval(() => !document.hidden && emit('retry'), againMs);
  } catch (error) {
    if (!(error instanceof ViewProblem)) throw error;
    state.value = '';
    failure.value = error.document.detail;
  }
}
</script>

<template>
  <div v-if="state === 'asked'" role="status">
    <p><b>Request sent.</b> If this item exists, its owners were notified. You get an email with the answer.</p>
    <button type="button" class="plain" @click="emit('retry')">Try again</button>
  </div>
  <form v-else @submit.prevent="submit">
    <p>If you received this link from someone, you can request access.</p>
    <label>Reason <small>(optional)</small><textarea v-model="words" rows="2" maxlength="2000" /></label>
    <p v-if="failure" role="alert" class="failure">{{ failure }}</p>
    <button type="submit" :disabled="state === 'asking'">Request access</button>
  </form>
</template>

<style scoped>
form {
  display: grid;
  gap: 0.7rem;
  max-width: 30rem;
}
label {
  display: grid;
  gap: 0.2rem;
  font-weight: 600;
}
label small {
  font-weight: 400;
  color: var(--quiet);
}
textarea {
  font: inherit;
  font-weight: 400;
  padding: 0.4rem 0.6rem;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--raised);
  color: var(--ink);
}
button {
  justify-self: start;
  background: var(--sea);
  border: 1px solid var(--sea);
  color: var(--raised);
  border-radius: 3px;
  padding: 0.4rem 1.1rem;
  font: inherit;
}
.plain {
  background: none;
  color: var(--sea);
}
.failure {
  color: var(--signal);
  margin: 0;
}
p {
  margin: 0.2rem 0;
}
</style>
