<script setup lang="ts">
/** Conditions by dataset, in CQL2 text. */
const props = defineProps<{ datasets: readonly string[] }>();
const where = defineModel<Record<string, string>>({ required: true });
/** Those of datasets that are read no more stay to be seen, and to be emptied. */
const names = () => [...new Set([...props.datasets, ...Object.keys(where.value)])];
const set = (name: string, event: Event) =>
  (where.value = { ...where.value, [name]: (event.target as HTMLInputElement).value });
</script>

<template>
  <label v-for="name in names()" :key="name" class="wide"
    >Filter for {{ name }}
    <input
      :value="where[name] ?? ''"
      spellcheck="false"
      maxlength="16384"
      placeholder="quay_id = screen('quay')"
      @input="set(name, $event)"
    />
  </label>
</template>
