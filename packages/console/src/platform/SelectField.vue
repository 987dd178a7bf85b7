<script setup lang="ts">
import { Select } from 'ant-design-vue';
import { nextTick, onMounted, onUpdated, ref } from 'vue';

/**
 * The library's select, with the state that readers by ear need (ARIA 1.2, combobox): it says that it is closed, and names its list
 * only while there is one.
 */
defineOptions({ inheritAttrs: false });
const place = ref<HTMLElement>();
const isOpen = ref(false);
const listed = ['aria-owns', 'aria-controls', 'aria-activedescendant'] as const;

function tell(): void {
  const input = place.value?.querySelector('[role=combobox]');
  if (!input) return;
  input.setAttribute('aria-expanded', String(isOpen.value));
  const list = `${input.id}_list`;
  for (const name of listed)
    if (!isOpen.value) input.removeAttribute(name);
    else if (name !== 'aria-activedescendant' && document.getElementById(list)) input.setAttribute(name, list);
}
async function change(open: boolean): Promise<void> {
  isOpen.value = open;
  await nextTick();
  tell();
}
onMounted(tell);
onUpdated(tell);
</script>

<template>
  <span ref="place" class="select">
    <Select v-bind="$attrs" @dropdown-visible-change="change" />
  </span>
</template>

<style scoped>
.select {
  display: block;
}
.select :deep(.ant-select) {
  width: 100%;
}
</style>
