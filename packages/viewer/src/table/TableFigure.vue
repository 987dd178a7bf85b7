<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue';
import { rawText, toneSigns } from '@underbell/core/chart';
import type { FormatOptions } from '@underbell/core/format';
import type { FigureResult, TableFigure } from '@underbell/core/report';
import { useViewing } from '../view/viewing.ts';
import { useTableRows, type TableSort } from './useTableRows.ts';

const props = defineProps<{
  figure: TableFigure;
  result: FigureResult;
  taste: FormatOptions;
  picked: readonly string[];
}>();
const emit = defineEmits<{ pick: [value: string, isAdding: boolean] }>();

const rowHeight = 29;
const overscan = 8;
const sort = ref<TableSort>();
const { table, count, lineAt, show, isLong } = useTableRows(props, useViewing(), sort);
const isPickable = computed(() => (props.figure.measures?.length ?? 0) > 0);

const box = ref<HTMLElement>();
const scrolled = ref(0);
const height = ref(400);
const watcher = new ResizeObserver(([entry]) => (height.value = entry?.contentRect.height ?? 400));
onMounted(() => watcher.observe(box.value!));
onBeforeUnmount(() => watcher.disconnect());
const first = computed(() => Math.max(0, Math.min(count.value - 1, Math.floor(scrolled.value / rowHeight) - overscan)));
const last = computed(() => Math.min(count.value, Math.ceil((scrolled.value + height.value) / rowHeight) + overscan));
watch([first, last], ([from, to]) => show(from, to));
const lines = computed(() =>
  Array.from({ length: Math.max(0, last.value - first.value) }, (_, i) => ({
    index: first.value + i,
    line: lineAt(first.value + i),
  })),
);

/** Up, down, and back to the report's own order. */
function sortBy(name: string): void {
  const { value } = sort;
  if (value?.by !== name) sort.value = { by: name, descending: false };
  else sort.value = value.descending ? undefined : { by: name, descending: true };
  if (box.value) box.value.scrollTop = 0;
}
const sortWords = (name: string) =>
  sort.value?.by !== name ? 'none' : sort.value.descending ? 'descending' : 'ascending';

const widths = reactive<Record<string, number>>({});
const least = 48;
function resize(name: string, width: number): void {
  widths[name] = Math.max(least, Math.round(width));
}
function startResize(event: PointerEvent, name: string): void {
  const cell = (event.target as HTMLElement).closest('th')!;
  const [from, start] = [event.clientX, cell.offsetWidth];
  const target = event.target as HTMLElement;
  target.setPointerCapture(event.pointerId);
  const move = (moved: PointerEvent) => resize(name, start + moved.clientX - from);
  target.addEventListener('pointermove', move);
  target.addEventListener('pointerup', () => target.removeEventListener('pointermove', move), { once: true });
}
function keyResize(event: KeyboardEvent, name: string): void {
  const step = { ArrowLeft: -12, ArrowRight: 12 }[event.key];
  if (step === undefined) return;
  event.preventDefault();
  resize(name, (event.target as HTMLElement).closest('th')!.offsetWidth + step);
}
const isFaded = (raw: string) => props.picked.length > 0 && !props.picked.includes(raw);
const number = computed(() => new Intl.NumberFormat(props.taste.locale));
</script>

<template>
  <div
    ref="box"
    class="scroll"
    tabindex="0"
    role="region"
    :aria-label="`${figure.title}, table`"
    @scroll.passive="scrolled = box!.scrollTop"
  >
    <table class="plain" :aria-rowcount="count + 1">
      <thead>
        <tr>
          <th
            v-for="head in table.headings"
            :key="head.name"
            scope="col"
            :class="{ figures: head.isNumber }"
            :aria-sort="sortWords(head.name)"
            :style="
              widths[head.name]
                ? {
                    width: `${widths[head.name]}px`,
                    minWidth: `${widths[head.name]}px`,
                    maxWidth: `${widths[head.name]}px`,
                  }
                : undefined
            "
          >
            <button
              type="button"
              class="sort"
              title="Sort. Alt + arrow keys resize the column."
              aria-keyshortcuts="Alt+ArrowLeft Alt+ArrowRight"
              @click="sortBy(head.name)"
              @keydown.alt="keyResize($event, head.name)"
            >
              {{ head.text }}<span v-if="head.unit" class="unit"> {{ head.unit }}</span
              ><span class="arrow" aria-hidden="true">{{
                sortWords(head.name) === 'none' ? '' : sortWords(head.name) === 'ascending' ? ' ↑' : ' ↓'
              }}</span>
            </button>
            <span class="grip no-print" aria-hidden="true" @pointerdown.prevent="startResize($event, head.name)" />
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="first > 0" class="space" aria-hidden="true">
          <td :colspan="table.headings.length" :style="{ height: `${first * rowHeight}px` }" />
        </tr>
        <tr
          v-for="{ index, line } in lines"
          :key="index"
          :aria-rowindex="index + 2"
          :class="{ sum: line?.kind === 'sum', faded: isPickable && line && isFaded(rawText(line.raw)) }"
        >
          <template v-if="line">
            <td v-for="(cell, i) in line.cells" :key="i" :class="[{ figures: table.headings[i]?.isNumber }, cell.tone]">
              <button
                v-if="i === 0 && isPickable && line.kind === 'row'"
                type="button"
                :aria-pressed="picked.includes(rawText(line.raw))"
                @click="(event) => emit('pick', rawText(line.raw), event.ctrlKey || event.metaKey)"
              >
                {{ cell.text }}
              </button>
              <template v-else
                ><span v-if="cell.tone && cell.tone !== 'quiet'" aria-hidden="true" class="sign">{{
                  toneSigns[cell.tone]
                }}</span
                >{{ cell.text }}</template
              >
            </td>
          </template>
          <td v-else :colspan="table.headings.length" class="coming">…</td>
        </tr>
        <tr v-if="last < count" class="space" aria-hidden="true">
          <td :colspan="table.headings.length" :style="{ height: `${(count - last) * rowHeight}px` }" />
        </tr>
      </tbody>
      <tfoot v-if="table.foot">
        <tr>
          <td v-for="(cell, i) in table.foot" :key="i" :class="{ figures: table.headings[i]?.isNumber }">
            {{ cell.text }}
          </td>
        </tr>
      </tfoot>
    </table>
  </div>
  <p v-if="isLong" class="cut">{{ number.format(count) }} rows</p>
  <p v-else-if="table.isCut" class="cut">First {{ number.format(count) }} rows.</p>
</template>

<style scoped>
.sort {
  border: 0;
  background: none;
  padding: 0;
  font-weight: inherit;
  color: inherit;
  min-height: 24px;
}
.grip {
  position: absolute;
  right: 0;
  top: 0;
  bottom: 0;
  width: 12px;
  cursor: col-resize;
  touch-action: none;
}
.grip:hover {
  border-right: 2px solid var(--brass);
}
td {
  white-space: nowrap;
  max-width: 22rem;
}
tr.space td {
  border: 0;
  padding: 0;
}
.coming {
  color: var(--quiet);
}
</style>
