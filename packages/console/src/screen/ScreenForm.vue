<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';
import type { ShownScreen } from '@underbell/core/screen';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import ScreenFields from './ScreenFields.vue';
import { saidOf, type ScreenWords } from './screensTable.ts';

/** Says something else of a screen; what it shows follows. */
const props = defineProps<{ screen: ShownScreen }>();
const emit = defineEmits<{ saved: []; close: [] }>();
const { busy, problem, attempt } = useAttempt();
const { title, group, timeZone, language, attributes } = props.screen;
const words = ref<ScreenWords>({ title, group, timeZone, language, attributes: { ...attributes } });
const save = () =>
  attempt('work', async () => {
    await call('PUT', `/api/v1/screens/${encodeURIComponent(props.screen.name)}`, saidOf(words.value));
    emit('saved');
  });
</script>

<template>
  <form class="framed" @submit.prevent="save">
    <div class="fields"><ScreenFields v-model="words" /></div>
    <p class="more">
      <Button type="primary" html-type="submit" :loading="busy !== ''">Save</Button>
      <Button @click="emit('close')">Cancel</Button>
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
  </form>
</template>
