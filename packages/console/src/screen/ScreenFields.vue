<script setup lang="ts">
import type { ScreenAttribute, ShownGroup } from '@underbell/core/screen';
import { useResource } from '../platform/useResource.ts';
import type { ScreenWords } from './screensTable.ts';

/** What is said of a screen. */
const words = defineModel<ScreenWords>({ required: true });
const { data: groups } = useResource<{ groups: ShownGroup[] }>('/api/v1/screen-groups');
const { data: declared } = useResource<{ attributes: ScreenAttribute[] }>('/api/v1/screen-attributes');
</script>

<template>
  <label>Title <input v-model="words.title" required maxlength="200" /></label>
  <slot />
  <label
    >Group
    <select v-model="words.group" required>
      <option value="" disabled>select one</option>
      <option v-for="one in groups?.groups ?? []" :key="one.name" :value="one.name">{{ one.title }}</option>
    </select></label
  >
  <label v-for="one in declared?.attributes ?? []" :key="one.name"
    >{{ one.label }} <input v-model="words.attributes[one.name]" maxlength="500" :placeholder="one.type"
  /></label>
  <label>Time zone <input v-model="words.timeZone" required maxlength="60" /></label>
  <label>Language <input v-model="words.language" required maxlength="35" /></label>
</template>
