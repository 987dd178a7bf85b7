<script setup lang="ts">
import type { ScreenState } from '@underbell/core/screen';

/** How a screen is doing, in a word. */
defineProps<{ state: ScreenState }>();
</script>

<template>
  <b :class="state">{{ state }}</b>
</template>

<style scoped>
.silent,
.failing {
  color: var(--signal);
}
.stale,
.behind {
  color: var(--brass);
}
.fine {
  color: var(--good);
}
</style>
