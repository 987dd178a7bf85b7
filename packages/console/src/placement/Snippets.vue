<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';
import type { Snippets } from '@underbell/core/placement';

/** What a host pastes to show a placement beside its records. */
defineProps<{ lines: Snippets }>();
const kinds: readonly { readonly key: keyof Snippets; readonly title: string; readonly about: string }[] = [
  { key: 'element', title: 'The element', about: 'in the page of the record; its server hands out tokens' },
  {
    key: 'frame',
    title: 'A frame alone',
    about: 'no code at all: whoever looks is known to the directory, or signs in once',
  },
  { key: 'node', title: 'The host’s server, in Node', about: 'plain Node, no package; it has the client’s secret' },
  { key: 'curl', title: 'The same question by curl', about: 'for every other language' },
  {
    key: 'exchange',
    title: 'For whoever signed in to the host',
    about: 'the directory’s ID token is exchanged (RFC 8693): the host names nobody',
  },
];
const copied = ref('');
async function copy(key: string, text: string): Promise<void> {
  await navigator.clipboard.writeText(text);
  copied.value = key;
  window.setTimeout(() => (copied.value = ''), 2_500);
}
</script>

<template>
  <details v-for="{ key, title, about } in kinds" :key="key" :open="key === 'element'">
    <summary>
      <b>{{ title }}</b> <span class="quiet">{{ about }}</span>
    </summary>
    <p>
      <Button size="small" :aria-label="`Copy: ${title}`" @click="copy(key, lines[key])">{{
        copied === key ? 'Copied' : 'Copy'
      }}</Button>
    </p>
    <pre tabindex="0">{{ lines[key] }}</pre>
  </details>
</template>

<style scoped>
details {
  border-bottom: 1px solid var(--line);
  padding: 0.4rem 0;
}
summary {
  cursor: pointer;
}
p {
  margin: 0.4rem 0;
}
pre {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.6rem 0.8rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
