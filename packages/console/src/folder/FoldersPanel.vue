<script setup lang="ts">
import type { FolderContents } from '@underbell/core/folder';
import { Button } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { call } from '../platform/api.ts';
import ChoiceField from '../platform/ChoiceField.vue';
import Rename from '../platform/Rename.vue';
import DeleteButton from '../platform/DeleteButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';

/** Folders within folders; what lies in one has its rights. */
const props = defineProps<{ contents?: FolderContents }>();
const emit = defineEmits<{ changed: [] }>();
const { busy, problem, attempt } = useAttempt();
const title = ref('');
const parent = ref<string>();

interface Branch {
  readonly name: string;
  readonly title: string;
  readonly depth: number;
  readonly things: number;
}
const tree = computed((): Branch[] => {
  const { folders, things } = props.contents ?? { folders: [], things: [] };
  const known = new Set(folders.map((one) => one.name));
  const below = (name: string | null, depth: number): Branch[] =>
    folders
      .filter((one) => (one.parentName !== null && known.has(one.parentName) ? one.parentName : null) === name)
      .flatMap((one) => [
        { name: one.name, title: one.title, depth, things: things.filter((thing) => thing.folder === one.name).length },
        ...below(one.name, depth + 1),
      ]);
  return below(null, 0);
});
const make = () =>
  attempt('work', async () => {
    const name = title.value
      .normalize('NFKD')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 60);
    await call('PUT', `/api/v1/folders/${name}`, { title: title.value.trim(), parentName: parent.value ?? null });
    title.value = '';
    emit('changed');
  });
</script>

<template>
  <h2>Folders</h2>
  <ProblemNote v-if="problem" :problem="problem" />
  <ul class="tree">
    <li v-for="one in tree" :key="one.name" :style="{ paddingLeft: `${one.depth * 1.4}rem` }">
      <RouterLink :to="`/folders/${one.name}`">{{ one.title }}</RouterLink>
      <span class="quiet"
        ><code>{{ one.name }}</code> {{ one.things }} {{ one.things === 1 ? 'item' : 'items' }}</span
      >
      <DeleteButton
        v-if="one.things === 0"
        kind="folder"
        :name="one.name"
        @gone="emit('changed')"
        @renamed="emit('changed')"
      />
      <Rename v-else path="/api/v1/folders" :name="one.name" @renamed="emit('changed')" />
    </li>
    <li v-if="tree.length === 0" class="quiet">No folders.</li>
  </ul>
  <form class="make" @submit.prevent="make">
    <label>New folder <input v-model="title" required maxlength="200" /></label>
    <label
      >in
      <ChoiceField
        v-model:value="parent"
        :options="tree.map((one) => ({ value: one.name, label: one.title }))"
        placeholder="none"
        may-be-empty
    /></label>
    <Button html-type="submit" :loading="busy === 'work'">Create folder</Button>
  </form>
</template>

<style scoped>
.tree {
  list-style: none;
  padding: 0;
}
.make {
  display: flex;
  flex-wrap: wrap;
  gap: 0.8rem;
  align-items: center;
}
label {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
}
input {
  font: inherit;
  height: 32px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
</style>
