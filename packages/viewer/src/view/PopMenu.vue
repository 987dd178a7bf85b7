<script setup lang="ts">
import { nextTick, ref } from 'vue';

/** One thing that a menu offers. */
export interface MenuItem {
  readonly label: string;
  readonly act: () => void;
}
/** `word` stands on the button, `label` says more to those who do not see what it stands beside. */
defineProps<{ word: string; label: string; items: readonly MenuItem[] }>();

const isOpen = ref(false);
const root = ref<HTMLElement>();
const buttons = () => [...(root.value?.querySelectorAll<HTMLButtonElement>('[role=menuitem]') ?? [])];

async function open(): Promise<void> {
  isOpen.value = true;
  await nextTick();
  buttons()[0]?.focus();
}
function close(returnsFocus: boolean): void {
  isOpen.value = false;
  if (returnsFocus) root.value?.querySelector<HTMLButtonElement>('.opener')?.focus();
}
function move(step: number): void {
  const all = buttons();
  const at = all.indexOf(document.activeElement as HTMLButtonElement);
  all[(at + step + all.length) % all.length]?.focus();
}
function onFocusOut(event: FocusEvent): void {
  if (!root.value?.contains(event.relatedTarget as Node | null)) isOpen.value = false;
}
function choose(item: MenuItem): void {
  close(true);
  item.act();
}
</script>

<template>
  <div ref="root" class="menu" @focusout="onFocusOut" @keydown.esc="close(true)">
    <button
      type="button"
      class="opener"
      aria-haspopup="menu"
      :aria-expanded="isOpen"
      :aria-label="label"
      :title="label"
      @click="isOpen ? close(false) : open()"
      @keydown.down.prevent="open"
    >
      {{ word }}
    </button>
    <ul v-if="isOpen" role="menu" :aria-label="label" @keydown.down.prevent="move(1)" @keydown.up.prevent="move(-1)">
      <li v-for="item in items" :key="item.label" role="none">
        <button type="button" role="menuitem" @click="choose(item)">{{ item.label }}</button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.menu {
  position: relative;
}
.opener {
  border: 0;
  background: none;
  color: var(--sea);
  font-size: 0.8125rem;
  min-height: 24px;
  padding: 0;
}
.opener:hover,
.opener[aria-expanded='true'] {
  text-decoration: underline;
}
ul {
  position: absolute;
  z-index: 30;
  right: 0;
  top: 100%;
  margin: 2px 0 0;
  padding: 0.25rem;
  list-style: none;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
  min-width: 11rem;
}
li button {
  display: block;
  width: 100%;
  text-align: left;
  border: 0;
  background: none;
  padding: 0.3rem 0.6rem;
  border-radius: 3px;
  white-space: nowrap;
}
li button:hover,
li button:focus-visible {
  background: color-mix(in srgb, var(--line) 60%, transparent);
}
</style>
