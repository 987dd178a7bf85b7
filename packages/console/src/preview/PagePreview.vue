<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import type { DrawnSize } from './drawnSize.ts';

/** The page as its viewer gets it, drawn by the viewer's own code in a frame of this service. */
const props = defineProps<{ title: string; answer: object }>();
const emit = defineEmits<{ size: [size: DrawnSize] }>();
const frame = ref<HTMLIFrameElement>();
const isReady = ref(false);

function show(): void {
  // Plain data: what Vue watches cannot be passed on.
  const answer = JSON.parse(JSON.stringify(props.answer)) as object;
  frame.value?.contentWindow?.postMessage({ underBell: 'preview', answer }, window.location.origin);
}
function listen(event: MessageEvent<{ underBell?: string; size?: DrawnSize }>): void {
  if (event.origin !== window.location.origin || event.source !== frame.value?.contentWindow) return;
  if (event.data.underBell === 'preview size' && event.data.size) return emit('size', event.data.size);
  if (event.data.underBell !== 'preview ready') return;
  isReady.value = true;
  show();
}
onMounted(() => window.addEventListener('message', listen));
onBeforeUnmount(() => window.removeEventListener('message', listen));
watch(
  () => props.answer,
  () => isReady.value && show(),
);
</script>

<template>
  <iframe ref="frame" src="/preview" :title="title" />
</template>

<style scoped>
iframe {
  width: 100%;
  height: var(--seen-height, 44rem);
  border: 1px solid var(--line);
  border-radius: 4px;
  margin-top: 0.8rem;
}
</style>
