<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';
import type { ShownPlacement } from '@underbell/core/place';
import TakeAway from '../platform/TakeAway.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { call } from '../platform/api.ts';
import { useAttempt } from '../platform/useAttempt.ts';

const props = defineProps<{ placement: ShownPlacement; editions: readonly number[] }>();
const emit = defineEmits<{ changed: [] }>();
const { busy, problem, attempt } = useAttempt<'pin'>();
/** Keeps the place at an edition, or lets it follow the current one again. */
const pin = (chosen: string) =>
  attempt('pin', async () => {
    const { name, kind, title, report, page, where, parameters, origins } = props.placement;
    await call('PUT', `/api/v1/placements/${name}`, {
      ...{ kind, title, report, where, parameters, origins },
      ...(page === null ? {} : { page }),
      ...(chosen === '' ? {} : { edition: Number(chosen) }),
    });
    emit('changed');
  });
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
    <ProblemNote v-if="problem" :problem="problem" />
    <p>
      <label
        >Shows
        <select
          class="plain"
          :value="placement.edition ?? ''"
          :disabled="busy !== ''"
          @change="(event) => pin((event.target as HTMLSelectElement).value)"
        >
          <option value="">the current edition, whenever one is published</option>
          <option v-for="number in editions" :key="number" :value="number">
            edition {{ number }}, and stays with it
          </option>
        </select></label
      >
    </p>
    <pre tabindex="0">{{ placement.snippet }}</pre>
    <div class="actions">
      <Button @click="copy(placement.snippet, 'snippet')">{{
        copied === 'snippet' ? 'Copied' : 'Copy the snippet'
      }}</Button>
      <Button @click="copy(placement.link, 'link')">{{ copied === 'link' ? 'Copied' : 'Copy the link' }}</Button>
      <a :href="placement.link" target="_blank" rel="noopener">Open it</a>
      <TakeAway kind="placement" :name="placement.name" @gone="emit('changed')" @renamed="emit('changed')" />
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
