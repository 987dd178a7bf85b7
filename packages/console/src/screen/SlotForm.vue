<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed } from 'vue';
import type { BoardDefinition } from '@underbell/core/board';
import { useResource } from '../platform/useResource.ts';
import type { SlotChoices } from './options.ts';
import ConditionFields from './ConditionFields.vue';
import FigurePick from './FigurePick.vue';
import HoursField from './HoursField.vue';
import { whenWords, type SlotFields } from './playlist.ts';

/** One slot of a playlist; or what is shown now, which has neither name nor hours. */
const props = defineProps<{ choices: SlotChoices; isNow?: boolean }>();
const slot = defineModel<SlotFields>({ required: true });
const reportOf = (name: string) => props.choices.reports.find((one) => one.report === name);
const chosen = computed(() => reportOf(slot.value.report));
const board = useResource<{ definition: BoardDefinition }>(() =>
  slot.value.board ? `/api/v1/boards/${encodeURIComponent(slot.value.board)}` : undefined,
);
const boardDatasets = computed(() => [
  ...new Set((board.data.value?.definition.figures ?? []).flatMap((one) => reportOf(one.report)?.datasets ?? [])),
]);
const media = computed(() => props.choices.media.find((one) => one.name === slot.value.media));
const braced = (name: string) => ['{', name, '}'].join('');
const addValue = () =>
  slot.value.values.push({
    name: `value${slot.value.values.length + 1}`,
    report: '',
    page: '',
    figure: '',
    where: {},
    rest: {},
  });
</script>

<template>
  <div class="fields">
    <label v-if="!isNow">Name <input v-model="slot.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60" /></label>
    <label
      >Content
      <select v-model="slot.what">
        <option value="page">page or figure</option>
        <option value="board">board</option>
        <option value="media">media</option>
        <option value="words">text</option>
      </select></label
    >
    <FigurePick
      v-if="slot.what === 'page'"
      v-model:report="slot.report"
      v-model:page="slot.page"
      v-model:figure="slot.figure"
      :reports="choices.reports"
    />
    <label v-else-if="slot.what === 'board'"
      >Board
      <select v-model="slot.board" required>
        <option v-for="one in choices.boards" :key="one.name" :value="one.name">{{ one.title }}</option>
      </select></label
    >
    <label v-else-if="slot.what === 'media'"
      >Media
      <select v-model="slot.media" required>
        <option v-for="one in choices.media" :key="one.name" :value="one.name">{{ one.title }}</option>
      </select></label
    >
    <label v-if="!isNow"
      >Seconds <input v-model.number="slot.seconds" type="number" min="5" max="3600" required
    /></label>
    <label v-if="slot.what !== 'words'"
      >Title
      <input
        v-model="slot.title"
        maxlength="200"
        :placeholder="slot.what === 'media' ? 'none: it fills the wall' : 'its own'"
    /></label>
    <template v-if="slot.what === 'page'">
      <label v-for="one in chosen?.parameters ?? []" :key="one.name"
        >{{ one.label }} <input v-model="slot.parameters[one.name]" maxlength="1000" placeholder="report default"
      /></label>
      <ConditionFields v-model="slot.where" :datasets="chosen?.datasets ?? []" />
    </template>
    <ConditionFields v-else-if="slot.what === 'board'" v-model="slot.where" :datasets="boardDatasets" />
    <label v-else-if="slot.what === 'words'" class="wide"
      >Text ({quay} inserts a screen attribute)
      <textarea v-model="slot.text" rows="2" maxlength="2000" required />
    </label>
  </div>
  <img
    v-if="slot.what === 'media' && media"
    class="small"
    :src="`/api/v1/media/${media.name}/thumbnail`"
    :alt="media.title"
  />
  <fieldset v-if="slot.what === 'words'" class="plain">
    <legend>Measures in the text</legend>
    <div v-for="(value, i) in slot.values" :key="i" class="fields">
      <label
        >Placeholder {{ braced(value.name) }} <input v-model="value.name" required pattern="[a-z][a-z0-9_]*"
      /></label>
      <FigurePick
        v-model:report="value.report"
        v-model:page="value.page"
        v-model:figure="value.figure"
        is-number
        :reports="choices.reports"
      />
      <ConditionFields v-model="value.where" :datasets="reportOf(value.report)?.datasets ?? []" />
      <p>
        <Button size="small" @click="slot.values.splice(i, 1)">Remove {{ value.name }}</Button>
      </p>
    </div>
    <Button size="small" @click="addValue">Add measure</Button>
  </fieldset>
  <details v-if="!isNow">
    <summary>When: {{ whenWords(slot) }}</summary>
    <HoursField v-model="slot.hours" :rules="slot.rules" />
    <div class="fields">
      <label>From <input v-model="slot.from" type="date" /></label>
      <label>Until <input v-model="slot.until" type="date" /></label>
    </div>
  </details>
</template>

<style scoped>
.small {
  max-width: 12rem;
  max-height: 7rem;
  border: 1px solid var(--line);
}
details {
  margin: 0.3rem 0;
}
</style>
