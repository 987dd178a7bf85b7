<script setup lang="ts">
import { Alert } from 'ant-design-vue';
import type { ProblemDocument } from '@underbell/core/refusal';

defineProps<{ problem: ProblemDocument }>();
</script>

<template>
  <Alert type="error" show-icon role="alert" class="note">
    <template #message>{{ problem.detail }}</template>
    <template #description>
      <p v-if="problem.hint">{{ problem.hint }}</p>
      <ul v-if="problem.problems && problem.problems.length > 1">
        <li v-for="one in problem.problems" :key="one.at + one.message">
          <code>{{ one.at }}</code> {{ one.message }}
        </li>
      </ul>
      <small
        >{{ problem.code }}<template v-if="problem.reference">, reference {{ problem.reference }}</template></small
      >
    </template>
  </Alert>
</template>

<style scoped>
.note {
  margin: 1rem 0;
}
p {
  margin: 0;
}
</style>
