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
      >Destination
      <select v-model="draft.kind" @change="draft.to = ''">
        <option value="mail">email</option>
        <option value="library">WebDAV folder</option>
        <option value="directory">server folder</option>
        <option value="webhook">webhook</option>
      </select></label
    >
    <label v-if="draft.kind !== 'mail' || choices.places.length > 1"
      >Server
      <select v-model="draft.to" :required="draft.kind !== 'mail'">
        <option v-if="draft.kind === 'mail'" value="">default mail server</option>
        <option v-for="one in choices.places" :key="one.name" :value="one.name">{{ one.name }}</option>
      </select></label
    >
    <label v-if="draft.kind === 'mail'"
      >Send files
      <select v-model="draft.send">
        <option value="">as attachments</option>
        <option value="links">as links</option>
      </select></label
    >
    <label v-if="draft.kind === 'library' || draft.kind === 'directory'"
      >Folder <input v-model="draft.folder" placeholder="{district}/{period}"
    /></label>
    <label>Keep files (days) <input v-model="draft.keepDays" inputmode="numeric" placeholder="0" /></label>
  </div>
  <p class="more">
    <Checkbox v-if="draft.kind === 'mail'" v-model:checked="draft.showsPage">Include the page in the email</Checkbox>
    <Checkbox v-if="draft.kind === 'mail'" v-model:checked="draft.unsubscribe">Include an unsubscribe link</Checkbox>
    <Checkbox v-if="draft.kind === 'library' || draft.kind === 'directory'" v-model:checked="draft.isAnnounced"
      >Send a notification email</Checkbox
    >
  </p>
  <div v-if="draft.kind === 'mail' || draft.isAnnounced" class="fields letter">
    <label class="wide"
      >Subject <input v-model="draft.subject" required placeholder="Quay pack for {quay_name}, {period_words}"
    /></label>
    <label class="wide"
      >Message <textarea v-model="draft.message" rows="5" required placeholder="Hello {manager}, …"></textarea>
    </label>
    <label v-if="draft.empty === 'note'" class="wide"
      >Message when there is no data <textarea v-model="draft.emptyMessage" rows="3"></textarea>
    </label>
  </div>
  <p class="quiet fills">Placeholders: {{ choices.fills }}</p>
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
