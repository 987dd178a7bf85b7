<script setup lang="ts">
import type { FolderContents } from '@underbell/core/folder';
import { Button } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { call } from '../platform/api.ts';
import { useAttempt } from '../platform/useAttempt.ts';

/** The folder of a thing, and the list to move it to another. */
const props = defineProps<{ kind: 'report' | 'board' | 'dataset'; name: string; contents?: FolderContents }>();
const emit = defineEmits<{ moved: [] }>();
const { problem, attempt } = useAttempt();
const folder = computed(
  () => props.contents?.things.find((one) => one.kind === props.kind && one.name === props.name)?.folder ?? '',
);
const wanted = ref('');
const move = (isConfirmed: boolean) =>
  attempt('work', async () => {
    const path = `/api/v1/${props.kind}s/${props.name}/folder${isConfirmed ? '?confirmed=true' : ''}`;
    await call('PUT', path, { folder: wanted.value === '' ? null : wanted.value });
  }).finally(() => emit('moved'));
const choose = (event: Event) => {
  wanted.value = (event.target as HTMLSelectElement).value;
  return move(false);
};
</script>

<template>
  <select :value="folder" :aria-label="`Folder of ${name}`" @change="choose">
    <option value="">no folder</option>
    <option v-for="one in contents?.folders ?? []" :key="one.name" :value="one.name">{{ one.title }}</option>
  </select>
  <p v-if="problem" role="alert">{{ problem.detail }}</p>
  <Button v-if="problem?.code === 'PERMISSIONS_WIDENED'" size="small" @click="move(true)">Move anyway</Button>
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
p {
  margin: 0.3rem 0;
  font-size: 0.8rem;
  line-height: 1.35;
  color: var(--signal);
}
</style>
