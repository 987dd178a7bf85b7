<script setup lang="ts">
import { ref, toRef } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import type { DefinitionNames } from './completeNames.ts';
import { useJsonEditor } from './useJsonEditor.ts';

const props = defineProps<{ schema?: object; problem?: ProblemDocument; names: DefinitionNames }>();
const text = defineModel<string>({ required: true });
const place = ref<HTMLElement>();
useJsonEditor(
  place,
  toRef(text),
  () => props.schema,
  () => props.problem,
  () => props.names,
);
</script>

<template>
  <div ref="place" class="editor" />
</template>

<style scoped>
.editor {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  min-width: 0;
}
.editor :deep(.cm-editor) {
  height: 34rem;
  font-size: 13px;
}
.editor :deep(.cm-gutters) {
  background: var(--paper);
  color: var(--quiet);
  border-right-color: var(--line);
}
.editor :deep(.cm-tooltip) {
  background: var(--raised);
  color: var(--ink);
  border-color: var(--line);
  max-width: 30rem;
}
.editor :deep(.cm-tooltip-autocomplete > ul > li[aria-selected]) {
  background: var(--sea);
  color: var(--paper);
}
</style>
