<script setup lang="ts">
import { computed } from 'vue';

const props = defineProps<{ state: string }>();

/** Never colour alone: each state has its own sign and word. */
const signs: Record<string, { sign: string; colour: string }> = {
  sent: { sign: '✓', colour: 'good' },
  ready: { sign: '✓', colour: 'good' },
  failing: { sign: '✕', colour: 'signal' },
  done: { sign: '✓', colour: 'good' },
  failed: { sign: '✕', colour: 'signal' },
  'in doubt': { sign: '?', colour: 'signal' },
  partly: { sign: '◐', colour: 'brass' },
  stopped: { sign: '■', colour: 'brass' },
  held: { sign: '‖', colour: 'brass' },
  paused: { sign: '‖', colour: 'brass' },
  skipped: { sign: '–', colour: 'quiet' },
};
const shown = computed(() => signs[props.state] ?? { sign: '…', colour: 'sea' });
</script>

<template>
  <span :style="{ color: `var(--${shown.colour})` }" class="state"
    ><b aria-hidden="true">{{ shown.sign }}</b> {{ state }}</span
  >
</template>

<style scoped>
.state {
  white-space: nowrap;
}
b {
  display: inline-block;
  width: 1.1em;
}
</style>
