<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { useRouter, type RouteLocationRaw } from 'vue-router';

/** A link to another page of the console that looks like a button: one element, so that it is read out once. */
const props = defineProps<{ to: RouteLocationRaw; type?: 'primary' | 'default'; size?: 'small' | 'middle' }>();
const router = useRouter();
function go(event: MouseEvent): void {
  // A new window is the browser's to open.
  if (event.metaKey || event.ctrlKey || event.shiftKey || event.button !== 0) return;
  event.preventDefault();
  void router.push(props.to);
}
</script>

<template>
  <Button :href="router.resolve(to).href" :type="type" :size="size" @click="go"><slot /></Button>
</template>
