<script setup lang="ts">
import { onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { Button } from 'ant-design-vue';
import type { PlacementLook } from '@underbell/core/placement';
import type { ViewResponse } from '@underbell/core/view';
import { ApiProblem, call } from '../platform/api.ts';
import { mendsFor, misfitsIn, type LayoutFix, type Misfit } from './layoutCheck.ts';

/** The placement as its place shows it, in a frame of whatever size; says what does not fit there, and mends it. */
const props = defineProps<{
  name: string;
  title: string;
  look: PlacementLook;
  /** It shows one page: its figures can be arranged. */
  isPage: boolean;
  /** Counts changes: the frame is drawn anew. */
  version: number;
}>();
const emit = defineEmits<{ mend: [look: PlacementLook] }>();
const sizes = [
  { width: 1200, height: 720, words: 'Full page' },
  { width: 780, height: 520, words: 'Column' },
  { width: 400, height: 640, words: 'Phone' },
  { width: 280, height: 320, words: 'Small' },
] as const;
const frame = ref<HTMLIFrameElement>();
const box = ref<HTMLElement>();
const size = ref<{ width: number; height: number }>({ width: 780, height: 520 });
const misfits = ref<readonly Misfit[]>();
let timer = 0;
/** Charts are drawn a moment after their page. */
const drawnMs = 1_200;
const inspect = () => {
  misfits.value = undefined;
  window.clearTimeout(timer);
  timer = window.setTimeout(() => {
    const page = frame.value?.contentDocument;
    if (page?.querySelector('.page')) misfits.value = misfitsIn(page, answer.value);
  }, drawnMs);
};
/** What is drawn there, to tell which of its names have no room. */
const answer = shallowRef<ViewResponse>();
async function fetchAnswer(): Promise<void> {
  try {
    answer.value = await call<ViewResponse>('GET', `/api/v1/placements/${encodeURIComponent(props.name)}/view`);
  } catch (error) {
    // The frame says why nothing is shown.
    if (!(error instanceof ApiProblem)) throw error;
    answer.value = undefined;
  }
}
watch(() => props.version, fetchAnswer, { immediate: true });
/** As it was before each mend, the last one at the end. */
const before = ref<PlacementLook[]>([]);
function mend(one: LayoutFix): void {
  before.value.push(props.look);
  emit('mend', one.apply(props.look));
}
function undo(): void {
  emit('mend', before.value.pop()!);
}
const watcher = new ResizeObserver(([entry]) => {
  if (!entry) return;
  const { width, height } = entry.contentRect;
  if (Math.abs(width - size.value.width) < 1 && Math.abs(height - size.value.height) < 1) return;
  size.value = { width: Math.round(width), height: Math.round(height) };
  inspect();
});
watch(box, (element) => element && watcher.observe(element), { flush: 'post' });
watch(() => props.version, inspect);
onBeforeUnmount(() => {
  watcher.disconnect();
  window.clearTimeout(timer);
});
function take(width: number, height: number): void {
  size.value = { width, height };
  inspect();
}
</script>

<template>
  <p class="sizes">
    <button
      v-for="one in sizes"
      :key="one.words"
      type="button"
      :aria-pressed="size.width === one.width && size.height === one.height"
      @click="take(one.width, one.height)"
    >
      {{ one.words }} {{ one.width }}×{{ one.height }}
    </button>
    <span class="quiet">{{ size.width }} × {{ size.height }} px; drag the corner to resize</span>
  </p>
  <div class="around">
    <div ref="box" class="box" :style="{ width: `${size.width}px`, height: `${size.height}px` }">
      <iframe ref="frame" :key="version" :src="`/v/${name}`" :title="title" @load="inspect" />
    </div>
  </div>
  <div role="status" class="said">
    <p v-if="misfits === undefined" class="quiet">Checking layout …</p>
    <p v-else-if="misfits.length === 0">No layout issues.</p>
    <ul v-else>
      <li v-for="one in misfits" :key="one.what">
        Layout issue: {{ one.what }}.
        <span v-if="mendsFor(one.mends, look, isPage).length > 0" class="mends">
          Fix:
          <Button v-for="way in mendsFor(one.mends, look, isPage)" :key="way.words" size="small" @click="mend(way)">{{
            way.words
          }}</Button>
        </span>
        <br v-if="one.advice" /><span v-if="one.advice" class="quiet">Or: {{ one.advice }}.</span>
      </li>
    </ul>
    <p v-if="before.length > 0"><Button size="small" @click="undo">Undo</Button></p>
  </div>
</template>

<style scoped>
.sizes {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 0.6rem;
  align-items: center;
}
.sizes button {
  font: inherit;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.15rem 0.6rem;
  cursor: pointer;
}
.sizes button[aria-pressed='true'] {
  border-color: var(--brass);
  font-weight: 600;
}
.around {
  overflow-x: auto;
}
.box {
  resize: both;
  overflow: hidden;
  min-width: 200px;
  min-height: 120px;
  border: 1px solid var(--line);
  border-right-width: 6px;
  border-bottom-width: 6px;
  border-radius: 4px;
  box-sizing: content-box;
}
iframe {
  display: block;
  width: 100%;
  height: 100%;
  border: 0;
}
.said ul {
  margin: 0.5rem 0 0;
  padding-left: 1.2rem;
}
.mends {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 0.3rem;
  align-items: center;
}
.said li {
  margin-bottom: 0.3rem;
}
.said li::marker {
  color: var(--signal);
}
</style>
