<script setup lang="ts">
import './own.css';
import { ref } from 'vue';
import type { PageShared } from '@underbell/core/app';

/** Shares a page with a colleague, with chosen rights. */
const props = defineProps<{
  ask: <T>(path: string, method?: string, body?: object) => Promise<T>;
  path: string;
}>();
const emit = defineEmits<{ shared: [PageShared]; close: [] }>();
const person = ref('');
const level = ref('view');
const wrong = ref('');
const isBusy = ref(false);
const levels = [
  { value: 'view', words: 'look at it' },
  { value: 'export', words: 'look at it and take figures away' },
  { value: 'edit', words: 'change it' },
  { value: 'own', words: 'change it, share it and take it away' },
];
async function share(): Promise<void> {
  isBusy.value = true;
  wrong.value = '';
  try {
    emit('shared', await props.ask<PageShared>(props.path, 'POST', { person: person.value, level: level.value }));
  } catch (error) {
    wrong.value = error instanceof Error ? error.message : String(error);
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <form class="own-form share" @submit.prevent="share">
    <h1>Share the page</h1>
    <label>Mail address of a colleague <input v-model="person" type="email" required /></label>
    <label
      >They may
      <select v-model="level">
        <option v-for="one in levels" :key="one.value" :value="one.value">{{ one.words }}</option>
      </select>
    </label>
    <p class="quiet">They see its figures under their own rights and rules: no row comes with the page.</p>
    <p v-if="wrong" role="alert" class="wrong">{{ wrong }}</p>
    <p class="ends">
      <button type="submit" class="main" :disabled="isBusy">Share</button>
      <button type="button" @click="emit('close')">Cancel</button>
    </p>
  </form>
</template>

<style scoped>
.share {
  display: grid;
  gap: 0.7rem;
  max-width: 30rem;
}
p {
  margin: 0;
}
</style>
