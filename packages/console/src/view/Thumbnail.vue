<script setup lang="ts">
import { ref } from 'vue';

/** A small current picture of something, as one may see it; its place stays empty where it cannot be drawn. */
defineProps<{ path: string }>();
const isMissing = ref(false);
</script>

<template>
  <div class="picture">
    <img v-if="!isMissing" :src="path" alt="" loading="lazy" decoding="async" @error="isMissing = true" />
  </div>
</template>

<style scoped>
.picture {
  aspect-ratio: 16 / 9;
  overflow: hidden;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: #fbfaf6;
}
img {
  display: block;
  width: 100%;
}
</style>
