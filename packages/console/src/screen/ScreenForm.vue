<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { reactive } from 'vue';
import type { ScreenAttribute, ShownGroup, ShownScreen } from '@underbell/core/screen';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** What is said of a screen; what it shows follows. */
const props = defineProps<{ screen: ShownScreen }>();
const emit = defineEmits<{ saved: []; close: [] }>();
const { busy, problem, attempt } = useAttempt();
const { data: groups } = useResource<{ groups: ShownGroup[] }>('/api/v1/screen-groups');
const { data: declared } = useResource<{ attributes: ScreenAttribute[] }>('/api/v1/screen-attributes');
const { title, group, timeZone, language } = props.screen;
const form = reactive({ title, group, timeZone, language });
const values = reactive<Record<string, string>>({ ...props.screen.attributes });
const save = () =>
  attempt('work', async () => {
    const attributes = Object.fromEntries(Object.entries(values).filter(([, value]) => value.trim() !== ''));
    await call('PUT', `/api/v1/screens/${encodeURIComponent(props.screen.name)}`, { ...form, attributes });
    emit('saved');
  });
</script>

<template>
  <form class="framed" @submit.prevent="save">
    <div class="fields">
      <label>Title <input v-model="form.title" required maxlength="200" /></label>
      <label
        >Group
        <select v-model="form.group" required>
          <option v-for="one in groups?.groups ?? []" :key="one.name" :value="one.name">{{ one.title }}</option>
        </select></label
      >
      <label v-for="one in declared?.attributes ?? []" :key="one.name"
        >{{ one.label }} <input v-model="values[one.name]" maxlength="500"
      /></label>
      <label>Time zone <input v-model="form.timeZone" required maxlength="60" /></label>
      <label>Language <input v-model="form.language" required maxlength="35" /></label>
    </div>
    <p class="more">
      <Button type="primary" html-type="submit" :loading="busy !== ''">Save</Button>
      <Button @click="emit('close')">Cancel</Button>
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
  </form>
</template>
