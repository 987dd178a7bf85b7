<script setup lang="ts">
import type { SlotFields } from './playlist.ts';

/** One slot of a playlist. */
const slot = defineModel<SlotFields>({ required: true });
</script>

<template>
  <div class="fields">
    <label>Name <input v-model="slot.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60" /></label>
    <label
      >Shows
      <select v-model="slot.what">
        <option value="page">a page or figure of a report</option>
        <option value="words">words</option>
      </select></label
    >
    <label>Seconds <input v-model.number="slot.seconds" type="number" min="5" max="3600" required /></label>
    <label
      >Hours
      <input v-model="slot.hours" :placeholder="slot.rest.hours ? 'as in its definition' : '06:00–20:00, or always'"
    /></label>
    <template v-if="slot.what === 'page'">
      <label>Report <input v-model="slot.report" required maxlength="63" /></label>
      <label>Page <input v-model="slot.page" maxlength="63" placeholder="the first" /></label>
      <label>Figure alone <input v-model="slot.figure" maxlength="63" placeholder="the whole page" /></label>
      <label>Title above it <input v-model="slot.title" maxlength="200" placeholder="the page’s own" /></label>
      <label class="wide"
        >Limited, by dataset
        <textarea v-model="slot.where" rows="2" spellcheck="false" placeholder="sailings: quay_id = screen('quay')" />
      </label>
    </template>
    <label v-else class="wide"
      >Words; {quay} stands for what the screen says of itself
      <textarea v-model="slot.text" rows="2" maxlength="2000" required />
    </label>
  </div>
</template>
