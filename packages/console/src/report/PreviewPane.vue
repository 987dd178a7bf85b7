<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import type { ShownPerson } from '@underbell/core/access';
import type { Figure, GridPlace } from '@underbell/core/report';
import { useResource } from '../platform/useResource.ts';
import LayoutGrid from '../preview/LayoutGrid.vue';
import PagePreview from '../preview/PagePreview.vue';
import type { DrawnWidth, Preview } from './usePreview.ts';

/** A definition as it is drawn: for whom, which page, how wide; on paper; or to be arranged. */
const props = defineProps<{
  kind: 'report' | 'board' | undefined;
  pages: readonly { readonly name: string; readonly title: string }[];
  /** Of the page, as they are written. */
  figures: readonly Figure[];
  preview: Preview;
  chosen: string | undefined;
}>();
const emit = defineEmits<{ move: [places: { name: string; at: GridPlace }[]]; choose: [name: string | undefined] }>();
const as = defineModel<string>('as', { required: true });
const page = defineModel<string>('page', { required: true });
const width = defineModel<DrawnWidth>('width', { required: true });
const people = useResource<{ people: (ShownPerson & { state: string })[] }>('/api/v1/users');
const titles = computed(() => Object.fromEntries(props.figures.map((one) => [one.name, one.title])));
const widths = [1280, 768, 400, 280] as const;
const pixels = computed(() => (typeof width.value === 'number' ? width.value : 1280));
const pane = ref<HTMLElement>();
const paneWidth = ref<number>();
/** Wide pages are drawn smaller rather than cut off at the pane's edge. */
const scale = computed(() => Math.min(1, (paneWidth.value ?? pixels.value) / pixels.value));
const paneWatcher = new ResizeObserver(([entry]) => {
  if (entry) paneWidth.value = Math.floor(entry.contentRect.width);
});
watch(pane, (element) => element && paneWatcher.observe(element), { flush: 'post' });
onBeforeUnmount(() => paneWatcher.disconnect());
</script>

<template>
  <section aria-label="Preview" class="drawn">
    <div class="how">
      <label
        >Preview as
        <select v-model="as" class="plain">
          <option value="">me</option>
          <option v-for="one in people.data.value?.people ?? []" :key="one.email" :value="one.email">
            {{ one.name }}
          </option>
        </select>
      </label>
      <label v-if="pages.length > 1"
        >Page
        <select v-model="page" class="plain">
          <option value="">first page</option>
          <option v-for="one in pages" :key="one.name" :value="one.name">{{ one.title }}</option>
        </select>
      </label>
      <span class="widths" role="group" aria-label="Width in pixels">
        <button v-for="one in widths" :key="one" type="button" :aria-pressed="width === one" @click="width = one">
          {{ one }}
        </button>
        <template v-if="kind !== 'board'">
          <button type="button" :aria-pressed="width === 'print'" @click="width = 'print'">Print</button>
          <button type="button" :aria-pressed="width === 'arrange'" @click="width = 'arrange'">Arrange</button>
        </template>
        <span v-if="typeof width === 'number' && scale < 1" class="quiet">at {{ Math.round(scale * 100) }} %</span>
      </span>
    </div>
    <p v-if="preview.wrong && preview.drawn" class="quiet">Last valid preview.</p>
    <p v-if="preview.withheld" class="quiet">{{ preview.withheld }}</p>
    <template v-if="width === 'print'">
      <iframe v-if="preview.printed" class="paper" :src="preview.printed" title="Print preview" />
      <p v-if="preview.printed" class="quiet"><a :href="preview.printed" target="_blank">Open in a new window</a></p>
    </template>
    <LayoutGrid
      v-else-if="width === 'arrange'"
      :figures="figures"
      :titles="titles"
      :answer="preview.drawn"
      :chosen="chosen"
      @change="emit('move', $event)"
      @choose="emit('choose', $event)"
    />
    <div v-else ref="pane" class="scroll">
      <div :style="{ width: `${width}px`, zoom: scale, '--seen-height': `${44 / scale}rem` }">
        <PagePreview v-if="preview.drawn" title="Page preview" :answer="preview.drawn" />
      </div>
    </div>
    <p v-if="!preview.drawn && !preview.wrong" class="quiet">Preview with real data, updated as you type.</p>
  </section>
</template>

<style scoped>
.how {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 1.2rem;
  align-items: center;
}
.paper {
  width: 100%;
  height: 44rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
}
.scroll {
  overflow-x: auto;
}
.widths button {
  font: inherit;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.15rem 0.6rem;
  cursor: pointer;
}
.widths button[aria-pressed='true'] {
  border-color: var(--brass);
  font-weight: 600;
}
.widths {
  display: flex;
  gap: 0.3rem;
  align-items: center;
}
</style>
