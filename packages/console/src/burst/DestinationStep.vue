<script setup lang="ts">
import { Checkbox } from 'ant-design-vue';
import type { DraftChoices } from './useDraftOptions.ts';
import type { Draft } from './draft.ts';

/** Where copies go, and in which words. */
const draft = defineModel<Draft>({ required: true });
defineProps<{ choices: DraftChoices }>();
</script>

<template>
  <div class="fields">
    <label
      >Copies go
      <select v-model="draft.kind" @change="draft.to = ''">
        <option value="mail">by mail</option>
        <option value="library">into a file library</option>
        <option value="directory">into a directory of the host</option>
        <option value="webhook">to a program</option>
      </select></label
    >
    <label v-if="draft.kind !== 'mail' || choices.places.length > 1"
      >Through
      <select v-model="draft.to" :required="draft.kind !== 'mail'">
        <option v-if="draft.kind === 'mail'" value="">the installation’s mail host</option>
        <option v-for="one in choices.places" :key="one.name" :value="one.name">{{ one.name }}</option>
      </select></label
    >
    <label v-if="draft.kind === 'mail'"
      >Files travel
      <select v-model="draft.send">
        <option value="">with the letter</option>
        <option value="links">as links</option>
      </select></label
    >
    <label v-if="draft.kind === 'library' || draft.kind === 'directory'"
      >Folder <input v-model="draft.folder" placeholder="{district}/{period}"
    /></label>
    <label>Days that files are kept here <input v-model="draft.keepDays" inputmode="numeric" placeholder="0" /></label>
  </div>
  <p class="more">
    <Checkbox v-if="draft.kind === 'mail'" v-model:checked="draft.showsPage">The letter shows the page</Checkbox>
    <Checkbox v-if="draft.kind === 'mail'" v-model:checked="draft.unsubscribe"
      >Recipients can say that they want no more</Checkbox
    >
    <Checkbox v-if="draft.kind === 'library' || draft.kind === 'directory'" v-model:checked="draft.isAnnounced"
      >A letter says where the files lie</Checkbox
    >
  </p>
  <div v-if="draft.kind === 'mail' || draft.isAnnounced" class="fields letter">
    <label class="wide"
      >Subject <input v-model="draft.subject" required placeholder="Quay pack for {quay_name}, {period_words}"
    /></label>
    <label class="wide"
      >Words <textarea v-model="draft.message" rows="5" required placeholder="Hello {manager}, …"></textarea>
    </label>
    <label v-if="draft.empty === 'note'" class="wide"
      >Words for whoever has no rows <textarea v-model="draft.emptyMessage" rows="3"></textarea>
    </label>
  </div>
  <p class="quiet fills">In folders and words: {{ choices.fills }}</p>
</template>

<style scoped>
.letter {
  align-items: start;
  margin-top: 0.6rem;
}
textarea {
  width: 100%;
  padding: 0.3rem 0.5rem;
  font: inherit;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
}
</style>
