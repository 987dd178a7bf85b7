<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';
import { toneSigns } from '@underbell/core/chart';
import { numberText, trendPaths } from '@underbell/core/figure';
import type { FormatOptions } from '@underbell/core/format';
import type { FigureResult, NumberFigure } from '@underbell/core/report';

const props = defineProps<{ figure: NumberFigure; result: FigureResult; taste: FormatOptions }>();
const shown = computed(() => numberText(props.figure, props.result, props.taste));

const box = ref<HTMLElement>();
const size = ref({ width: 0, height: 0 });
const watcher = new ResizeObserver(([entry]) => {
  if (entry) size.value = { width: entry.contentRect.width, height: entry.contentRect.height };
});
onMounted(() => box.value && watcher.observe(box.value));
onBeforeUnmount(() => watcher.disconnect());
/** A line lower than this says nothing. */
const paths = computed(() =>
  trendPaths(props.result, size.value.width, size.value.height >= 14 ? size.value.height : 0),
);
</script>

<template>
  <p class="value" :class="shown.tone">
    {{ shown.value }} <span v-if="shown.unit" class="unit">{{ shown.unit }}</span><span
      v-if="shown.tone"
      class="sign"
      aria-hidden="true"
      >{{ toneSigns[shown.tone] }}</span
    >
  </p>
  <p v-if="shown.comparison" class="beside" :class="shown.comparison.tone">
    <span class="turn" aria-hidden="true">{{ shown.comparison.sign }}</span>{{ shown.comparison.text }}
  </p>
  <p v-if="shown.beside" class="beside">{{ shown.beside }}</p>
  <div v-if="result.trend" ref="box" class="trend">
    <svg v-if="paths.whole || paths.incomplete" :width="size.width" :height="size.height" aria-hidden="true">
      <path :d="paths.whole" fill="none" stroke="var(--sea)" stroke-width="1.5" />
      <path :d="paths.incomplete" fill="none" stroke="var(--sea)" stroke-width="1.5" stroke-dasharray="3 3" />
    </svg>
  </div>
</template>

<style scoped>
.value {
  margin: 0.05rem 0 0;
  font-size: clamp(1.5rem, 1rem + 1.2vw, 1.75rem);
  font-weight: 600;
  line-height: 1.15;
  white-space: nowrap;
}
.unit {
  font-size: 1.1rem;
  font-weight: 400;
  color: var(--quiet);
}
.sign {
  font-size: 0.9rem;
  margin-left: 0.4rem;
}
.beside {
  margin: 0.05rem 0 0;
  color: var(--quiet);
  font-size: 0.875rem;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.turn {
  margin-right: 0.3em;
  font-size: 0.8em;
}
.good {
  color: var(--good);
}
.bad {
  color: var(--signal);
}
.warn {
  color: var(--brass);
}
.trend {
  margin-top: 4px;
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
</style>
