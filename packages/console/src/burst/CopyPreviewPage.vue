<script setup lang="ts">
import type { SeenView } from '@underbell/core/preview';
import { Spin } from 'ant-design-vue';
import { useRoute } from 'vue-router';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import UserPreview from '../preview/UserPreview.vue';

const props = defineProps<{ name: string; recipient: string }>();
const route = useRoute();
const { data: seen, error } = useResource<SeenView>(() => {
  const query = new URLSearchParams({ recipient: props.recipient });
  if (typeof route.query['period'] === 'string') query.set('period', route.query['period']);
  return `/api/v1/bursts/${encodeURIComponent(props.name)}/copy-preview?${query}`;
});
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/bursts">Bursts</RouterLink> › <RouterLink :to="`/bursts/${name}`">{{ name }}</RouterLink>
  </p>
  <h1>Copy of {{ recipient }}</h1>
  <ProblemNote v-if="error" :problem="error" />
  <UserPreview v-else-if="seen" :seen="seen" />
  <Spin v-else />
</template>
