<template>
  <!-- A small wall: what is within is laid out for 1280 pixels across, and made as small as there is room. -->
  <span class="wall"><slot /></span>
</template>

<style scoped>
.wall {
  display: block;
  aspect-ratio: 16 / 9;
  overflow: hidden;
  border: 1px solid var(--line);
  border-radius: 4px;
  container-type: inline-size;
}
.wall :slotted(img) {
  display: block;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
.wall :slotted(iframe) {
  width: 1280px;
  height: 720px;
  border: 0;
  transform-origin: 0 0;
  transform: scale(calc(100cqw / 1280px));
  pointer-events: none;
}
</style>
