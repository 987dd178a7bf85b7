<script setup lang="ts">
import { onMounted, ref } from 'vue';
import SignInForm from './SignInForm.vue';
import { handOver } from './signInWindow.ts';

const isAsking = ref(false);
const isDone = ref(false);

async function finish(): Promise<void> {
  isDone.value = await handOver();
  isAsking.value = !isDone.value;
}
onMounted(finish);
</script>

<template>
  <main>
    <h1>Sign in to see the report</h1>
    <p v-if="isDone" role="status">Signed in. You can close this window.</p>
    <SignInForm v-else-if="isAsking" return-to="/sign-in/window" @signed-in="finish" />
  </main>
</template>

<style scoped>
main {
  padding: 1.5rem;
}
h1 {
  font-size: 1.25rem;
  margin: 0;
}
</style>
