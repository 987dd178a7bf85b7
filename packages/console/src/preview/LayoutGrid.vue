<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { arrange, withinGrid } from '@underbell/core/board';
import type { GridPlace } from '@underbell/core/report';
import type { ViewResponse } from '@underbell/core/view';
import type { DrawnSize } from './drawnSize.ts';
import PagePreview from './PagePreview.vue';

/** The figures of a page or board as they are drawn, moved and resized by mouse and by keyboard. */
interface Placed {
  readonly name: string;
  readonly at: GridPlace;
}
const props = defineProps<{
  figures: readonly Placed[];
  titles: Readonly<Record<string, string>>;
  answer?: ViewResponse;
  chosen?: string;
}>();
const emit = defineEmits<{ change: [places: Placed[]]; choose: [name: string] }>();

/** As wide as most people have it; drawn smaller where there is less room. Pixels. */
const drawnWidth = 1280;
const pane = ref<HTMLElement>();
const paneWidth = ref(drawnWidth);
const scale = computed(() => Math.min(1, paneWidth.value / drawnWidth));
const watcher = new ResizeObserver(([entry]) => {
  if (entry) paneWidth.value = Math.floor(entry.contentRect.width);
});
watch(pane, (element) => element && watcher.observe(element), { flush: 'post' });
onBeforeUnmount(() => watcher.disconnect());

const size = ref<DrawnSize>();
const grid = computed(() => size.value ?? { left: 13, top: 13, width: drawnWidth - 26, gap: 11, rowHeight: 42 });
const rows = computed(() => Math.max(4, ...shown.value.map(({ at }) => at.row + at.height - 1)));
const height = computed(() =>
  Math.max(size.value?.height ?? 0, grid.value.top + rows.value * (grid.value.rowHeight + grid.value.gap) + 13),
);

const root = ref<HTMLElement>();
/** Where the figures would go, while one is being moved. */
const moving = ref<{ readonly name: string; readonly figures: readonly Placed[] }>();
const shown = computed(() => moving.value?.figures ?? props.figures);
const said = ref('');
const titleOf = (name: string) => props.titles[name] ?? name;
/** What is drawn elsewhere than it stands says where it would be. */
const written = ({ column, row, width, height }: GridPlace) => [column, row, width, height].join(' ');
const drawnAt = computed(() => {
  const { figures = [], frames = [] } = props.answer?.page ?? {};
  return new Map([...figures, ...frames].map((one) => [one.name, written(one.at)]));
});
const isElsewhere = ({ name, at }: Placed) => drawnAt.value.get(name) !== written(at);

function start(event: PointerEvent, figure: Placed, isResize: boolean): void {
  emit('choose', figure.name);
  const target = event.currentTarget as HTMLElement;
  const drawn = root.value!.getBoundingClientRect();
  const unit = drawn.width / 12;
  const rowHeight = ((grid.value.rowHeight + grid.value.gap) * drawn.width) / grid.value.width;
  const [x, y] = [event.clientX, event.clientY];
  target.setPointerCapture(event.pointerId);
  const place = (moved: PointerEvent): GridPlace => {
    const [right, down] = [Math.round((moved.clientX - x) / unit), Math.round((moved.clientY - y) / rowHeight)];
    const { at } = figure;
    return isResize
      ? { ...at, width: Math.min(at.width + right, 13 - at.column), height: at.height + down }
      : { ...at, column: at.column + right, row: at.row + down };
  };
  const move = (moved: PointerEvent) =>
    (moving.value = { name: figure.name, figures: arrange(props.figures, figure.name, place(moved)) });
  const end = () => {
    target.removeEventListener('pointermove', move);
    if (moving.value) emit('change', [...moving.value.figures]);
    moving.value = undefined;
  };
  target.addEventListener('pointermove', move);
  target.addEventListener('pointerup', end, { once: true });
  target.addEventListener('pointercancel', () => (moving.value = undefined), { once: true });
}

const steps: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};
/** Arrows move; with Shift they resize. */
function onKey(event: KeyboardEvent, figure: Placed): void {
  const step = steps[event.key];
  if (!step) return;
  event.preventDefault();
  const { at } = figure;
  const to = event.shiftKey
    ? { ...at, width: Math.min(at.width + step[0], 13 - at.column), height: at.height + step[1] }
    : { ...at, column: at.column + step[0], row: at.row + step[1] };
  const placed = withinGrid(to);
  emit('change', arrange(props.figures, figure.name, placed));
  said.value = `${titleOf(figure.name)}: column ${placed.column}, row ${placed.row}, ${placed.width} wide, ${placed.height} high`;
}
const style = ({ at }: Placed) => ({
  gridColumn: `${at.column} / span ${at.width}`,
  gridRow: `${at.row} / span ${at.height}`,
});
</script>

<template>
  <p id="arrange-help" class="quiet">
    Drag a figure to move it, its corner to resize it. With the keyboard: arrows move, Shift and arrows resize.
  </p>
  <div ref="pane" class="pane">
    <div
      class="stage"
      :style="{ width: `${drawnWidth}px`, height: `${height}px`, zoom: scale, '--seen-height': `${height}px` }"
    >
      <PagePreview v-if="answer" title="Preview" tabindex="-1" :answer="answer" @size="size = $event" />
      <div
        ref="root"
        class="over"
        :style="{
          left: `${grid.left}px`,
          top: `${grid.top}px`,
          width: `${grid.width}px`,
          gap: `${grid.gap}px`,
          gridAutoRows: `${grid.rowHeight}px`,
        }"
      >
        <div
          v-for="figure in shown"
          :key="figure.name"
          class="box"
          role="button"
          tabindex="0"
          aria-describedby="arrange-help"
          :aria-label="titleOf(figure.name)"
          :aria-pressed="figure.name === chosen"
          :class="{ chosen: figure.name === chosen, elsewhere: isElsewhere(figure) }"
          :style="style(figure)"
          @pointerdown.prevent="start($event, figure, false)"
          @focus="emit('choose', figure.name)"
          @keydown="onKey($event, figure)"
        >
          <b v-if="isElsewhere(figure)">{{ titleOf(figure.name) }}</b>
          <span class="corner" aria-hidden="true" @pointerdown.stop.prevent="start($event, figure, true)" />
        </div>
      </div>
    </div>
  </div>
  <p class="unseen" aria-live="polite">{{ said }}</p>
</template>

<style scoped>
.pane {
  overflow: hidden;
}
.stage {
  position: relative;
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
}
.stage :deep(iframe) {
  border: 0;
  margin: 0;
  display: block;
}
.over {
  position: absolute;
  display: grid;
  grid-template-columns: repeat(12, minmax(0, 1fr));
  touch-action: none;
}
.box {
  position: relative;
  padding: 0.4rem 0.6rem;
  border: 1px dashed transparent;
  border-radius: 4px;
  cursor: grab;
  user-select: none;
  overflow: hidden;
}
.box:hover {
  border-color: var(--brass);
}
.elsewhere {
  background: color-mix(in srgb, var(--raised) 88%, transparent);
  border: 1px dashed var(--quiet);
}
.chosen {
  outline: 3px solid var(--brass);
  outline-offset: 1px;
}
.corner {
  position: absolute;
  right: 0;
  bottom: 0;
  width: 24px;
  height: 24px;
  cursor: nwse-resize;
  background: linear-gradient(135deg, transparent 50%, var(--quiet) 50%);
  opacity: 0.5;
}
.unseen {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
