<script setup lang="ts">
import type { FoldedThing } from '@underbell/core/folder';
import { onMounted, watch } from 'vue';
import { useFavourites } from './useFavourites.ts';

const props = defineProps<{ kind: FoldedThing['kind']; name: string }>();
const { atHand, load, keep, looked, isKept } = useFavourites();
onMounted(() => {
  if (!atHand.value) void load();
});
watch(
  () => props.name,
  () => looked(props),
  { immediate: true },
);
</script>

<template>
  <button type="button" class="keep" :aria-pressed="isKept(props)" @click="keep(props, !isKept(props))">
    <svg viewBox="0 0 16 16" width="15" height="15" aria-hidden="true">
      <path
        d="M4 1.5h8v13l-4-3-4 3z"
        :fill="isKept(props) ? 'var(--brass)' : 'none'"
        stroke="var(--brass)"
        stroke-width="1.3"
      />
    </svg>
    {{ isKept(props) ? 'Remove from favourites' : 'Add to favourites' }}
  </button>
</template>

<style scoped>
.keep {
  font: inherit;
  display: inline-flex;
  align-items: center;
  gap: 0.35rem;
  border: 0;
  background: none;
  color: var(--sea);
  padding: 0.1rem 0.3rem;
}
</style>
