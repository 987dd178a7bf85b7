<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';

export interface ShownPlacement {
  readonly name: string;
  readonly kind: string;
  readonly title: string;
  readonly page: string | null;
  readonly origins: readonly string[];
  readonly link: string;
  readonly snippet: string;
}

defineProps<{ placement: ShownPlacement }>();
const copied = ref('');

async function copy(text: string, what: string): Promise<void> {
  await navigator.clipboard.writeText(text);
  copied.value = what;
  window.setTimeout(() => (copied.value = ''), 2500);
}
</script>

<template>
  <article class="card">
    <header>
      <h3>{{ placement.title }}</h3>
      <span class="quiet">{{ placement.kind }} · {{ placement.page ?? 'first page' }}</span>
    </header>
    <p class="quiet">
      The link asks an unknown visitor to sign in and shows a known one only what they may see.
      <template v-if="placement.origins.length > 0">May be framed by {{ placement.origins.join(', ') }}.</template>
    </p>
    <pre tabindex="0">{{ placement.snippet }}</pre>
    <div class="actions">
      <Button @click="copy(placement.snippet, 'snippet')">{{
        copied === 'snippet' ? 'Copied' : 'Copy the snippet'
      }}</Button>
      <Button @click="copy(placement.link, 'link')">{{ copied === 'link' ? 'Copied' : 'Copy the link' }}</Button>
      <a :href="placement.link" target="_blank" rel="noopener">Open it</a>
    </div>
  </article>
</template>

<style scoped>
.card {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.9rem 1.1rem;
}
header {
  display: flex;
  gap: 0.8rem;
  align-items: baseline;
}
h3 {
  font-size: 1rem;
  margin: 0;
  color: var(--ink);
}
p {
  margin: 0.3rem 0 0.6rem;
}
pre {
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0.7rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  margin: 0 0 0.7rem;
}
.actions {
  display: flex;
  gap: 0.6rem;
  align-items: center;
}
</style>
