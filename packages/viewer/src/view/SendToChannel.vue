<script setup lang="ts">
import { onMounted, ref } from 'vue';
import { ViewProblem } from './viewApi.ts';
import { useViewing } from './viewing.ts';

/** What the reader sees goes into the channel, with words of theirs. */
const emit = defineEmits<{ close: []; said: [words: string] }>();
const view = useViewing()!;
const words = ref('');
const wantsPicture = ref(true);
const isBusy = ref(false);
const failure = ref('');
const field = ref<HTMLTextAreaElement>();
onMounted(() => field.value?.focus());

async function post(): Promise<void> {
  isBusy.value = true;
  failure.value = '';
  try {
    const { hasPicture, why } = await view.api.post(view.shared.value, {
      words: words.value,
      wantsPicture: wantsPicture.value,
    });
    const without = why === undefined ? '' : ` without image: ${why}`;
    emit('said', hasPicture ? 'Sent with image.' : `Sent${without}.`);
    emit('close');
  } catch (error) {
    if (!(error instanceof ViewProblem)) throw error;
    failure.value = error.document.detail;
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <form class="post no-print" aria-label="Send to channel" @submit.prevent="post" @keydown.esc="emit('close')">
    <label
      >Send this page with its filters
      <textarea ref="field" v-model="words" rows="2" maxlength="2000" placeholder="Message" />
    </label>
    <label class="tick"
      ><input v-model="wantsPicture" type="checkbox" /> Include an image (only where all members see the same
      data)</label
    >
    <p v-if="failure" role="alert" class="failure">{{ failure }}</p>
    <p class="acts">
      <button type="submit" :disabled="isBusy">Send</button>
      <button type="button" class="plain" @click="emit('close')">Cancel</button>
    </p>
  </form>
</template>

<style scoped>
.post {
  display: grid;
  gap: 0.5rem;
  padding: 0.7rem 0.9rem;
  margin-bottom: 0.7rem;
  background: var(--raised);
  border: 1px solid var(--line);
  border-left: 3px solid var(--brass);
  border-radius: 4px;
  max-width: 40rem;
}
label {
  display: grid;
  gap: 0.2rem;
}
.tick {
  display: flex;
  gap: 0.5rem;
  align-items: center;
}
textarea {
  font: inherit;
  padding: 0.3rem 0.5rem;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
}
.acts {
  display: flex;
  gap: 0.5rem;
  margin: 0;
}
button {
  font: inherit;
  border: 1px solid var(--sea);
  background: var(--sea);
  color: var(--raised);
  border-radius: 3px;
  padding: 0.25rem 0.9rem;
}
.plain {
  background: none;
  color: var(--sea);
}
.failure {
  color: var(--signal);
  margin: 0;
}
</style>
