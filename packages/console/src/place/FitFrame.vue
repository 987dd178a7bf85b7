<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue';
import { misfitsIn, type Misfit } from './fit.ts';

/** The placement as its place shows it, in a frame of whatever size; says what does not fit there. */
const props = defineProps<{
  name: string;
  title: string;
  /** Counts changes: the frame is drawn anew. */ version: number;
}>();
const sizes = [
  { width: 1200, height: 720, words: 'Whole page' },
  { width: 780, height: 520, words: 'Column' },
  { width: 400, height: 640, words: 'Phone' },
  { width: 280, height: 320, words: 'Tile' },
] as const;
const frame = ref<HTMLIFrameElement>();
const box = ref<HTMLElement>();
const size = ref<{ width: number; height: number }>({ width: 780, height: 520 });
const misfits = ref<readonly Misfit[]>();
let timer = 0;
/** Charts are drawn a moment after their page. */
const drawnMs = 1_200;
const look = () => {
  misfits.value = undefined;
  window.clearTimeout(timer);
  timer = window.setTimeout(() => {
    const page = frame.value?.contentDocument;
    if (page?.querySelector('.page')) misfits.value = misfitsIn(page);
  }, drawnMs);
};
const watcher = new ResizeObserver(([entry]) => {
  if (!entry) return;
  const { width, height } = entry.contentRect;
  if (Math.abs(width - size.value.width) < 1 && Math.abs(height - size.value.height) < 1) return;
  size.value = { width: Math.round(width), height: Math.round(height) };
  look();
});
watch(box, (element) => element && watcher.observe(element), { flush: 'post' });
watch(() => props.version, look);
onBeforeUnmount(() => {
  watcher.disconnect();
  window.clearTimeout(timer);
});
function take(width: number, height: number): void {
  size.value = { width, height };
  look();
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
    <span class="quiet">{{ size.width }} × {{ size.height }} pixels; drag the corner for another size</span>
  </p>
  <div class="around">
    <div ref="box" class="box" :style="{ width: `${size.width}px`, height: `${size.height}px` }">
      <iframe ref="frame" :key="version" :src="`/v/${name}`" :title="title" @load="look" />
    </div>
  </div>
  <div role="status" class="said">
    <p v-if="misfits === undefined" class="quiet">Looking whether everything fits …</p>
    <p v-else-if="misfits.length === 0">Everything fits at this size.</p>
    <ul v-else>
      <li v-for="one in misfits" :key="one.what">
        Does not fit: {{ one.what }}<template v-if="one.mend">. <b>Try</b> {{ one.mend }}</template
        >.
      </li>
    </ul>
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
.said li::marker {
  color: var(--signal);
}
</style>
