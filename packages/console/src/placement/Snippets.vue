<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';
import type { Snippets } from '@underbell/core/placement';

/** What a host pastes to show a placement beside its records. */
defineProps<{ lines: Snippets }>();
const kinds: readonly { readonly key: keyof Snippets; readonly title: string; readonly about: string }[] = [
  { key: 'element', title: 'Custom element', about: 'for pages with a record; your server issues tokens' },
  {
    key: 'frame',
    title: 'Iframe',
    about: 'no code; users sign in with single sign-on',
  },
  { key: 'node', title: 'Server code (Node.js)', about: 'no packages; holds the client secret' },
  { key: 'curl', title: 'Same request with curl', about: 'for other languages' },
  {
    key: 'exchange',
    title: 'For the user of the host',
    about: 'exchanges the ID token of the identity provider (RFC 8693)',
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
