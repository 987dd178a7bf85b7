<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref, watch } from 'vue';
import { attributeTypes, type ScreenAttribute } from '@underbell/core/screen';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** Screen attributes; for administrators. */
const path = '/api/v1/screen-attributes';
const { data } = useResource<{ attributes: ScreenAttribute[] }>(path);
const { busy, problem, attempt } = useAttempt();
type Line = { -readonly [Name in keyof ScreenAttribute]: ScreenAttribute[Name] };
const lines = ref<Line[]>([]);
watch(data, (found) => (lines.value = found?.attributes.map((one) => ({ ...one })) ?? []));
const save = () =>
  attempt('work', async () => {
    data.value = await call<{ attributes: ScreenAttribute[] }>('PUT', path, { attributes: lines.value });
  });
</script>

<template>
  <details class="framed">
    <summary>Screen attributes</summary>
    <form @submit.prevent="save">
      <div v-for="(one, i) in lines" :key="i" class="fields">
        <label>Name <input v-model="one.name" required pattern="[a-z][a-z0-9_]*" maxlength="63" /></label>
        <label>Label <input v-model="one.label" required maxlength="200" /></label>
        <label
          >Type
          <select v-model="one.type">
            <option v-for="type in attributeTypes" :key="type">{{ type }}</option>
          </select></label
        >
        <p class="more"><Button size="small" danger @click="lines.splice(i, 1)">Remove</Button></p>
      </div>
      <p class="more">
        <Button @click="lines.push({ name: '', label: '', type: 'text' })">Add attribute</Button>
        <Button type="primary" html-type="submit" :loading="busy !== ''">Save</Button>
      </p>
      <ProblemNote v-if="problem" :problem="problem" />
    </form>
  </details>
</template>
