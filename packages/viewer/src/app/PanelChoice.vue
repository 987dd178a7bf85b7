<script setup lang="ts">
import './own.css';
import { ref } from 'vue';
import type { SidePanel } from '@underbell/core/app';

/** Which reports are in the panel, and in which order. */
const props = defineProps<{ panel: SidePanel }>();
const emit = defineEmits<{ choose: [chosen: readonly string[]]; close: [] }>();
const chosen = ref<readonly string[]>(props.panel.chosen);
const titleOf = (name: string) => props.panel.may.find((one) => one.placement === name)!.title;
const rest = () => props.panel.may.filter((one) => !chosen.value.includes(one.placement));

function move(from: number, by: number): void {
  const next = [...chosen.value];
  const [one] = next.splice(from, 1);
  next.splice(from + by, 0, one!);
  chosen.value = next;
}
</script>

<template>
  <section class="own-form" aria-label="Reports in this panel">
    <h1>Shown</h1>
    <ol>
      <li v-for="(name, i) in chosen" :key="name">
        <span>{{ titleOf(name) }}</span>
        <button type="button" :disabled="i === 0" :aria-label="`Move up: ${titleOf(name)}`" @click="move(i, -1)">
          Move up
        </button>
        <button
          type="button"
          :disabled="i === chosen.length - 1"
          :aria-label="`Move down: ${titleOf(name)}`"
          @click="move(i, 1)"
        >
          Move down
        </button>
        <button
          type="button"
          :aria-label="`Hide: ${titleOf(name)}`"
          @click="chosen = chosen.filter((one) => one !== name)"
        >
          Hide
        </button>
      </li>
    </ol>
    <template v-if="rest().length > 0">
      <h2>Hidden</h2>
      <ul>
        <li v-for="one in rest()" :key="one.placement">
          <span>{{ one.title }}</span>
          <button type="button" :aria-label="`Add: ${one.title}`" @click="chosen = [...chosen, one.placement]">
            Add
          </button>
        </li>
      </ul>
    </template>
    <p class="ends">
      <button type="button" class="main" @click="emit('choose', chosen)">Save</button>
      <button type="button" @click="emit('close')">Cancel</button>
    </p>
  </section>
</template>

<style scoped>
li span {
  flex: 1 1 100%;
}
</style>
