<script setup lang="ts">
import { useSession } from '../session/useSession.ts';
import MakerHome from './AuthorHome.vue';
import ReaderHome from './ReaderHome.vue';

/** Who makes things sees what became of them; who reads sees what there is to read. */
const { isMaker } = useSession();
</script>

<template>
  <MakerHome v-if="isMaker" />
  <ReaderHome v-else />
</template>
