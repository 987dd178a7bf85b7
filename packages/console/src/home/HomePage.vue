<script setup lang="ts">
import { useSession } from '../session/useSession.ts';
import AuthorHome from './AuthorHome.vue';
import ReaderHome from './ReaderHome.vue';

/** Who makes things sees what became of them; who reads sees what there is to read. */
const { isAuthor } = useSession();
</script>

<template>
  <AuthorHome v-if="isAuthor" />
  <ReaderHome v-else />
</template>
