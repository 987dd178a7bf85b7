<script setup lang="ts">
import { computed } from 'vue';
import type { OfferedReport } from '@underbell/core/board';

/** Picks a page or a figure of a report. */
const props = defineProps<{
  reports: readonly OfferedReport[];
  /** Only numbers, and always one. */
  isNumber?: boolean;
}>();
const report = defineModel<string>('report', { required: true });
const page = defineModel<string>('page', { required: true });
const figure = defineModel<string>('figure', { required: true });
const chosen = computed(() => props.reports.find((one) => one.report === report.value));
const pages = computed(() => chosen.value?.pages ?? []);
const figures = computed(() =>
  (pages.value.find((one) => one.name === page.value)?.figures ?? []).filter(
    (one) => !props.isNumber || one.kind === 'number',
  ),
);
/** What was chosen stays to be seen where it is offered no more. */
const isGone = (name: string, all: readonly string[]) => name !== '' && !all.includes(name);
</script>

<template>
  <label
    >Report
    <select v-model="report" required @change="((page = ''), (figure = ''))">
      <option
        v-if="
          isGone(
            report,
            reports.map((one) => one.report),
          )
        "
        :value="report"
      >
        {{ report }}
      </option>
      <option v-for="one in reports" :key="one.report" :value="one.report">{{ one.title }}</option>
    </select></label
  >
  <label
    >Page
    <select v-model="page" :required="isNumber" @change="figure = ''">
      <option v-if="!isNumber" value="">first page</option>
      <option
        v-if="
          isGone(
            page,
            pages.map((one) => one.name),
          )
        "
        :value="page"
      >
        {{ page }}
      </option>
      <option v-for="one in pages" :key="one.name" :value="one.name">{{ one.title }}</option>
    </select></label
  >
  <label v-if="page"
    >Figure
    <select v-model="figure" :required="isNumber">
      <option v-if="!isNumber" value="">whole page</option>
      <option
        v-if="
          isGone(
            figure,
            figures.map((one) => one.name),
          )
        "
        :value="figure"
      >
        {{ figure }}
      </option>
      <option v-for="one in figures" :key="one.name" :value="one.name">{{ one.title }}</option>
    </select></label
  >
</template>
