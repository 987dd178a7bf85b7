<script setup lang="ts">
import { Modal } from 'ant-design-vue';
import { ref } from 'vue';

/** Asks before an action is done. What is in it is what opens the question; the dialog holds the focus until it is answered. */
const props = defineProps<{ title?: string; okText: string; disabled?: boolean; isDangerous?: boolean }>();
const emit = defineEmits<{ confirm: [] }>();
const isOpen = ref(false);
const trigger = ref<HTMLElement>();
const open = () => {
  if (props.disabled !== true) isOpen.value = true;
};
function confirm(): void {
  isOpen.value = false;
  emit('confirm');
}
/** Whoever answered goes on where they were, where that is still there. */
const goBack = () => trigger.value?.querySelector<HTMLElement>('button, a')?.focus();
</script>

<template>
  <span ref="trigger" class="trigger" @click.stop="open"><slot /></span>
  <Modal
    v-model:open="isOpen"
    title="Please confirm"
    :ok-text="okText"
    cancel-text="Cancel"
    :ok-button-props="{ danger: isDangerous === true }"
    :width="420"
    destroy-on-close
    @ok="confirm"
    @after-close="goBack"
  >
    <slot name="title">
      <p>{{ title }}</p>
    </slot>
  </Modal>
</template>

<style scoped>
.trigger {
  display: contents;
}
</style>
