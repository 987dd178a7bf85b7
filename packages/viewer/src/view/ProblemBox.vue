<script setup lang="ts">
import { computed } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import RequestAccess from '../session/RequestAccess.vue';
import SignInForm from '../session/SignInForm.vue';
import { openSignInWindow } from '../session/signInWindow.ts';

const props = defineProps<{
  problem: ProblemDocument;
  isFramed: boolean;
  /** Left out where access cannot be asked for. */
  ask?: (words: string) => Promise<void>;
}>();
const emit = defineEmits<{ retry: []; signedIn: [key: string | undefined] }>();

const needsSignIn = computed(() => props.problem.code === 'SIGN_IN_NEEDED');
/** Nothing is wrong with a record that has no number yet. */
const isQuiet = computed(() => props.problem.code === 'RECORD_INCOMPLETE');
const heading = computed(() => {
  if (needsSignIn.value) return 'Sign in to see this report';
  return props.problem.code === 'NOT_FOUND' ? 'No access' : props.problem.title;
});
/** As a sentence, without its full stop. */
const signInElsewhere = () => openSignInWindow((key) => emit('signedIn', key));
</script>

<template>
  <section class="box" :class="{ wrong: !needsSignIn && !isQuiet }" :role="isQuiet ? 'status' : 'alert'">
    <h1>{{ heading }}</h1>
    <template v-if="needsSignIn">
      <template v-if="isFramed">
        <p>This page did not provide access. You can sign in.</p>
        <button type="button" @click="signInElsewhere">Sign in</button>
      </template>
      <template v-else>
        <p>You see only data you have access to.</p>
        <SignInForm @signed-in="emit('signedIn', undefined)" />
      </template>
    </template>
    <RequestAccess v-else-if="problem.code === 'NOT_FOUND' && ask" :ask="ask" @retry="emit('retry')" />
    <template v-else-if="isQuiet">
      <p>{{ problem.detail }}</p>
      <p v-if="problem.hint" class="hint">{{ problem.hint }}</p>
    </template>
    <template v-else>
      <p>
        {{ problem.detail
        }}<template v-if="problem.position">
          (line {{ problem.position.line }}, column {{ problem.position.column }})</template
        >
      </p>
      <p v-if="problem.hint" class="hint">{{ problem.hint }}</p>
      <p class="code">
        {{ problem.code }}<template v-if="problem.reference">, reference {{ problem.reference }}</template>
      </p>
      <button type="button" @click="emit('retry')">Try again</button>
    </template>
  </section>
</template>

<style scoped>
.box {
  background: var(--raised);
  border: 1px solid var(--line);
  border-left: 4px solid var(--sea);
  border-radius: 4px;
  padding: 1.2rem 1.5rem;
  max-width: 40rem;
  margin: 1rem auto;
}
.wrong {
  border-left-color: var(--signal);
}
h1 {
  font-size: 1.25rem;
  margin: 0 0 0.4rem;
}
p {
  margin: 0.3rem 0;
}
.code {
  color: var(--quiet);
  font-size: 0.875rem;
}
button {
  margin-top: 0.6rem;
  border: 1px solid var(--sea);
  background: none;
  color: var(--sea);
  border-radius: 3px;
  padding: 0.3rem 0.9rem;
}
</style>
