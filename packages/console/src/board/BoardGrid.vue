<script setup lang="ts">
import { ref } from 'vue';
import { arrange, withinGrid, type BoardFigure, type BoardTheme } from '@underbell/core/board';
import type { GridPlace } from '@underbell/core/report';

/** The figures of a board as boxes that are moved and resized, by mouse and by keyboard. */
const props = defineProps<{
  figures: readonly BoardFigure[];
  titles: Readonly<Record<string, string>>;
  theme?: BoardTheme;
  chosen?: string;
}>();
const emit = defineEmits<{ change: [figures: BoardFigure[]]; choose: [name: string] }>();

const root = ref<HTMLElement>();
const rowHeight = 46;
/** Where the figure at hand would go, while it is being moved. */
const moving = ref<{ name: string; figures: BoardFigure[] }>();
const said = ref('');

function start(event: PointerEvent, figure: BoardFigure, isResize: boolean): void {
  emit('choose', figure.name);
  const target = event.currentTarget as HTMLElement;
  const unit = root.value!.clientWidth / 12;
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
    if (moving.value) emit('change', moving.value.figures);
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
function onKey(event: KeyboardEvent, figure: BoardFigure): void {
  const step = steps[event.key];
  if (!step) return;
  event.preventDefault();
  const { at } = figure;
  const to = event.shiftKey
    ? { ...at, width: Math.min(at.width + step[0], 13 - at.column), height: at.height + step[1] }
    : { ...at, column: at.column + step[0], row: at.row + step[1] };
  const placed = withinGrid(to);
  emit('change', arrange(props.figures, figure.name, placed));
  said.value = `${props.titles[figure.name]}: column ${placed.column}, row ${placed.row}, ${placed.width} wide, ${placed.height} high`;
}
const shown = () => moving.value?.figures ?? props.figures;
const style = ({ at }: BoardFigure) => ({
  gridColumn: `${at.column} / span ${at.width}`,
  gridRow: `${at.row} / span ${at.height}`,
});
</script>

<template>
  <p id="board-help" class="quiet">
    Drag a figure to move it, its corner to resize it. With the keyboard: arrows move, Shift and arrows resize.
  </p>
  <div
    ref="root"
    class="board"
    :style="theme ? { '--board': theme.background, '--box': theme.figure, '--words': theme.text } : {}"
  >
    <div
      v-for="figure in shown()"
      :key="figure.name"
      class="box"
      role="button"
      tabindex="0"
      aria-describedby="board-help"
      :aria-pressed="figure.name === chosen"
      :class="{ chosen: figure.name === chosen, moving: moving?.name === figure.name }"
      :style="style(figure)"
      @pointerdown.prevent="start($event, figure, false)"
      @focus="emit('choose', figure.name)"
      @keydown="onKey($event, figure)"
    >
      <b>{{ titles[figure.name] }}</b>
      <small>{{ figure.report }} · {{ figure.page }}</small>
      <span class="corner" aria-hidden="true" @pointerdown.stop.prevent="start($event, figure, true)" />
    </div>
  </div>
  <p class="unseen" aria-live="polite">{{ said }}</p>
</template>

<style scoped>
.board {
  display: grid;
  grid-template-columns: repeat(12, minmax(0, 1fr));
  grid-auto-rows: 38px;
  gap: 8px;
  padding: 8px;
  min-height: 14rem;
  background: var(--board, var(--paper));
  border: 1px solid var(--line);
  border-radius: 4px;
  touch-action: none;
}
.box {
  position: relative;
  display: flex;
  flex-direction: column;
  padding: 0.4rem 0.6rem;
  background: var(--box, var(--raised));
  color: var(--words, var(--ink));
  border: 1px solid color-mix(in srgb, var(--words, var(--ink)) 22%, transparent);
  border-radius: 4px;
  overflow: hidden;
  cursor: grab;
  user-select: none;
}
.chosen {
  outline: 2px solid var(--brass);
  outline-offset: 1px;
}
.moving {
  opacity: 0.75;
  cursor: grabbing;
}
.corner {
  position: absolute;
  right: 0;
  bottom: 0;
  width: 18px;
  height: 18px;
  cursor: nwse-resize;
  background: linear-gradient(135deg, transparent 50%, currentColor 50%);
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
