<script setup lang="ts">
import type { DraftChoices } from './useDraftChoices.ts';
import type { Draft } from './draft.ts';

/** What is sent, and under which name. */
const draft = defineModel<Draft>({ required: true });
defineProps<{ choices: DraftChoices; isNew: boolean }>();
</script>

<template>
  <div class="fields">
    <label
      >Report
      <select v-model="draft.report" required>
        <option value="" disabled>Choose a report</option>
        <option v-for="one in choices.reports" :key="one.name" :value="one.name">
          {{ one.title }}
        </option>
      </select></label
    >
    <label
      >Page
      <select v-model="draft.page">
        <option value="">The first one</option>
        <option v-for="one in choices.pages" :key="one.name" :value="one.name">
          {{ one.title }}
        </option>
      </select></label
    >
    <label>Title <input v-model="draft.title" required placeholder="Monthly quay pack" /></label>
    <label
      >Name, in addresses
      <input v-model="draft.name" required :readonly="!isNew" pattern="[a-z][a-z0-9\-]*" placeholder="quay-pack"
    /></label>
  </div>
</template>
