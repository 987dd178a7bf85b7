<script setup lang="ts">
import { Button } from 'ant-design-vue';
import type { DraftChoices } from './useDraftOptions.ts';
import type { Draft } from './draft.ts';

/** To whom, and what each of them gets. */
const draft = defineModel<Draft>({ required: true });
defineProps<{ choices: DraftChoices }>();
</script>

<template>
  <div class="fields">
    <label
      >Recipient list
      <select v-model="draft.list" required>
        <option value="" disabled>Select a list</option>
        <option v-for="one in choices.lists" :key="one.name" :value="one.name">
          {{ one.name }} ({{ one.recipients }})
        </option>
      </select></label
    >
    <label
      >Row rules
      <select v-model="draft.asSeenBy">
        <option value="sender">sender only</option>
        <option value="recipient">sender and recipient (recipients must be users)</option>
      </select></label
    >
  </div>
  <div v-for="(one, i) in draft.bind" :key="`b${i}`" class="fields line">
    <label
      >Parameter
      <select v-model="one.parameter">
        <option v-for="p in choices.parameters" :key="p.name" :value="p.name">{{ p.label ?? p.name }}</option>
      </select></label
    >
    <label
      >from column
      <select v-model="one.column">
        <option v-for="c in choices.columns" :key="c" :value="c">{{ c }}</option>
      </select></label
    >
    <Button @click="draft.bind.splice(i, 1)">Remove</Button>
  </div>
  <div v-for="(one, i) in draft.many" :key="`m${i}`" class="fields line">
    <label
      >Column
      <select v-model="one.column">
        <option v-for="c in choices.columns" :key="c" :value="c">{{ c }}</option>
      </select></label
    >
    <label>separator between values <input v-model="one.separator" required placeholder=";" /></label>
    <label
      >copies
      <select
        :value="draft.each === one.column ? 'each' : 'one'"
        @change="draft.each = ($event.target as HTMLSelectElement).value === 'each' ? one.column : ''"
      >
        <option value="one">one copy</option>
        <option value="each">a copy per value</option>
      </select></label
    >
    <Button @click="draft.many.splice(i, 1)">Remove</Button>
  </div>
  <div v-for="(one, i) in draft.where" :key="`w${i}`" class="fields line">
    <label
      >Dataset
      <select v-model="one.dataset">
        <option v-for="d in choices.datasets" :key="d" :value="d">{{ d }}</option>
      </select></label
    >
    <label class="wide"
      >filter (CQL2) <input v-model="one.text" placeholder="district = recipient('district') AND cancelled = FALSE"
    /></label>
    <Button @click="draft.where.splice(i, 1)">Remove</Button>
  </div>
  <p class="more">
    <Button
      size="small"
      @click="draft.bind.push({ parameter: choices.parameters[0]?.name ?? '', column: choices.columns[0] ?? '' })"
      >Add parameter from column</Button
    >
    <Button size="small" @click="draft.many.push({ column: choices.columns[0] ?? '', separator: ';' })"
      >Add column with several values</Button
    >
    <Button size="small" @click="draft.where.push({ dataset: choices.datasets[0] ?? '', text: '' })">Add filter</Button>
  </p>
</template>

<style scoped>
.line {
  margin-top: 0.6rem;
}
.line :deep(button) {
  justify-self: start;
}
</style>
