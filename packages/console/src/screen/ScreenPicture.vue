<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue';
import type { ListedScreen } from '@underbell/core/screen';
import { showInstant } from '../platform/format.ts';
import ScreenFrame from './ScreenFrame.vue';

/**
 * What a screen really shows: the last picture that it sent, asked for anew while somebody looks. Where it sent none yet, what
 * it should show.
 */
const props = defineProps<{ screen: Pick<ListedScreen, 'name' | 'title' | 'showsBy' | 'picturedAt'> }>();
const againMs = 20_000;
/** It was asked for its first one: that is on its way. */
const soonMs = 4_000;
const address = ref<string>();
let timer: ReturnType<typeof setTimeout> | undefined;
let isGone = false;

function show(picture: Blob | undefined): void {
  if (address.value) URL.revokeObjectURL(address.value);
  address.value = picture && URL.createObjectURL(picture);
}
async function look(): Promise<void> {
  const answer = await fetch(`/api/v1/screens/${encodeURIComponent(props.screen.name)}/screenshot`).catch(
    () => undefined,
  );
  if (isGone) return;
  if (answer?.ok) show(await answer.blob());
  else if (answer?.status === 404) show(undefined);
  timer = setTimeout(() => void look(), address.value ? againMs : soonMs);
}
watch(
  () => props.screen.name,
  () => {
    clearTimeout(timer);
    void look();
  },
  { immediate: true },
);
onBeforeUnmount(() => {
  isGone = true;
  clearTimeout(timer);
  show(undefined);
});
</script>

<template>
  <figure>
    <ScreenFrame
      ><img v-if="address" :src="address" :alt="`Screenshot of ${screen.title}`" /><iframe
        v-else
        :src="`/screen/?preview=${screen.name}`"
        :title="`What ${screen.title} should show now`"
        tabindex="-1"
        loading="lazy"
    /></ScreenFrame>
    <figcaption class="quiet">
      <template v-if="!address">preview</template>
      <template v-else-if="screen.showsBy === 'picture'">image mode</template>
      <template v-else>screenshot, {{ showInstant(screen.picturedAt ?? new Date().toISOString()) }}</template>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
figcaption {
  display: inline-block;
}
</style>
