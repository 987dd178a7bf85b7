<script setup lang="ts">
import { computed, ref, useId, watch } from 'vue';
import type { ShownParameter } from '@underbell/core/view';

const props = defineProps<{ parameter: ShownParameter }>();
const emit = defineEmits<{ set: [values: string[]] }>();

const id = useId();
const usual = ['this month', 'last month', 'last 7 days', 'last 30 days', 'last quarter', 'year to date'];
const held = computed(() => props.parameter.texts?.[0] ?? '');
const isUsual = computed(() => usual.includes(held.value));
const from = ref('');
const to = ref('');
watch(
  () => props.parameter,
  ({ span, texts }) => {
    from.value = span?.from ?? texts?.[0] ?? '';
    to.value = span?.to ?? '';
  },
  { immediate: true },
);
function choose(event: Event): void {
  const { value } = event.target as HTMLSelectElement;
  if (value === 'all') emit('set', []);
  else if (value !== 'own') emit('set', [value]);
}
function setDays(): void {
  if (!props.parameter.isPeriod) return emit('set', from.value ? [from.value] : []);
  if (from.value && to.value && from.value <= to.value) emit('set', [`${from.value}/${to.value}`]);
}
</script>

<template>
  <div class="period">
    <template v-if="parameter.isPeriod">
      <label :for="`${id}-usual`" class="unseen">{{ parameter.label }}</label>
      <select :id="`${id}-usual`" :value="isUsual ? held : held === '' ? 'all' : 'own'" @change="choose">
        <option v-if="!parameter.isRequired" value="all">All</option>
        <option v-for="one in usual" :key="one" :value="one">{{ one }}</option>
        <option value="own">{{ isUsual || held === '' ? 'custom dates' : parameter.words }}</option>
      </select>
    </template>
    <span class="days">
      <label>From <input v-model="from" type="date" @change="setDays" /></label>
      <label v-if="parameter.isPeriod">to <input v-model="to" type="date" :min="from" @change="setDays" /></label>
    </span>
  </div>
</template>

<style scoped>
.period {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 0.8rem;
  align-items: center;
  margin-top: 0.2rem;
}
.days {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 0.6rem;
}
select,
input {
  font: inherit;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--quiet);
  border-radius: 3px;
  padding: 0.1rem 0.3rem;
  min-height: 28px;
  min-width: 0;
  max-width: 100%;
}
.days,
label {
  min-width: 0;
  max-width: 100%;
}
label {
  display: flex;
  gap: 0.3rem;
  align-items: center;
  font-size: 0.9375rem;
}
</style>
