<script setup lang="ts">
import { computed } from 'vue';
import type { BoardFrame } from '@underbell/core/board';

/** A figure of a host's own: its page in a frame that reaches nothing of this one. */
const props = defineProps<{ frame: BoardFrame }>();
const place = computed(() => {
  const { column, row, width, height } = props.frame.at;
  return { '--column': column, '--row': row, '--width': width, '--height': height, '--half': width <= 3 ? 3 : 6 };
});
const host = computed(() => new URL(props.frame.address).host);
</script>

<template>
  <section class="framed" :style="place" :aria-label="frame.title">
    <h2>
      {{ frame.title }} <small>{{ host }}</small>
    </h2>
    <iframe
      :src="frame.address"
      :title="`${frame.title}, from ${host}`"
      loading="lazy"
      referrerpolicy="no-referrer"
      sandbox="allow-scripts allow-same-origin allow-forms allow-popups"
    />
  </section>
</template>

<style scoped>
.framed {
  grid-column: var(--column) / span var(--width);
  grid-row: var(--row) / span var(--height);
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.6rem 0.9rem 0.7rem;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
h2 {
  margin: 0 0 0.3rem;
  font-size: 1rem;
  font-weight: 600;
}
small {
  font-weight: 400;
  color: var(--quiet);
}
iframe {
  flex: 1;
  width: 100%;
  min-height: 0;
  border: 0;
}
@container page (max-width: 900px) {
  .framed {
    grid-column: span var(--half);
    grid-row: auto / span var(--height);
  }
}
@container page (max-width: 560px) {
  .framed {
    grid-column: 1 / -1;
  }
}
</style>
