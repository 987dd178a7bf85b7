<script setup lang="ts">
import { computed } from 'vue';
import { formatCell, type ReaderTaste } from '@underbell/core/format';
import type { FigureResult } from '@underbell/core/report';

const props = defineProps<{ result: FigureResult; taste: ReaderTaste }>();
const cells = computed(() =>
  props.result.columns.map((column, i) => ({
    label: column.label,
    text: formatCell(props.result.rows[0]?.[i], column, props.taste),
    unit: column.unit ?? '',
  })),
);
</script>

<template>
  <p class="value">
    {{ cells[0]?.text }} <span v-if="cells[0]?.unit" class="unit">{{ cells[0].unit }}</span>
  </p>
  <p v-if="cells[1]" class="beside">{{ cells[1].label }} {{ cells[1].text }} {{ cells[1].unit }}</p>
</template>

<style scoped>
.value {
  margin: 0.1rem 0 0;
  font-size: 2rem;
  font-weight: 600;
  line-height: 1.15;
}
.unit {
  font-size: 1.1rem;
  font-weight: 400;
  color: var(--quiet);
}
.beside {
  margin: 0.1rem 0 0;
  color: var(--quiet);
  font-size: 0.875rem;
}
</style>
