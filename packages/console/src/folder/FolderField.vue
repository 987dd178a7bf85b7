<script lang="ts">
/** Folders with what lies in them. */
export interface Contents {
  readonly folders: readonly { readonly name: string; readonly title: string; readonly parentName: string | null }[];
  readonly things: readonly { readonly kind: string; readonly name: string; readonly folder: string | null }[];
}
</script>

<script setup lang="ts">
import { computed } from 'vue';
import { call } from '../platform/api.ts';
import { useAttempt } from '../platform/useAttempt.ts';

/** The folder of a thing, and the list to move it to another. */
const props = defineProps<{ kind: 'report' | 'board' | 'dataset'; name: string; contents?: Contents }>();
const emit = defineEmits<{ moved: [] }>();
const { problem, attempt } = useAttempt();
const folder = computed(
  () => props.contents?.things.find((one) => one.kind === props.kind && one.name === props.name)?.folder ?? '',
);
const move = (event: Event) =>
  attempt('work', async () => {
    const { value } = event.target as HTMLSelectElement;
    await call('PUT', `/api/v1/folders/-/${props.kind}/${props.name}`, { folder: value === '' ? null : value });
  }).finally(() => emit('moved'));
</script>

<template>
  <select :value="folder" :aria-label="`Folder of ${name}`" @change="move">
    <option value="">no folder</option>
    <option v-for="one in contents?.folders ?? []" :key="one.name" :value="one.name">{{ one.title }}</option>
  </select>
  <small v-if="problem" role="alert">{{ problem.detail }}</small>
</template>

<style scoped>
select {
  font: inherit;
  height: 30px;
  padding: 0 0.4rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
  width: 100%;
}
small {
  color: var(--signal);
}
</style>
