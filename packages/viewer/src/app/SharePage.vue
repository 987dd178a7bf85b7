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
  { value: 'view', words: 'view' },
  { value: 'export', words: 'view and export' },
  { value: 'edit', words: 'edit' },
  { value: 'own', words: 'own' },
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
    <h1>Share page</h1>
    <label>Email <input v-model="person" type="email" required /></label>
    <label
      >Permission
      <select v-model="level">
        <option v-for="one in levels" :key="one.value" :value="one.value">{{ one.words }}</option>
      </select>
    </label>
    <p class="quiet">Sharing the page does not share data. Their own permissions apply.</p>
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
