<script setup lang="ts">
import { computed } from 'vue';
import { rawText, toneSigns } from '@underbell/core/chart';
import { textTable } from '@underbell/core/figure';
import type { FormatOptions } from '@underbell/core/format';
import type { Figure, FigureResult } from '@underbell/core/report';

/** Any answer as a plain table: crosstabs, and charts that a reader would rather read. */
const props = defineProps<{ figure: Figure; result: FigureResult; taste: FormatOptions; picked: readonly string[] }>();
const emit = defineEmits<{ pick: [value: string, isAdding: boolean] }>();
const table = computed(() => textTable(props.figure, props.result, props.taste));
const isPickable = computed(() => props.figure.kind === 'crosstab');
const isFaded = (raw: string) => props.picked.length > 0 && !props.picked.includes(raw);
</script>

<template>
  <div class="scroll" tabindex="0" role="region" :aria-label="`${figure.title}, table`">
    <table class="plain">
      <thead>
        <tr>
          <th v-for="(head, i) in table.headings" :key="i" scope="col" :class="{ figures: head.isNumber }">
            {{ head.text }}<span v-if="head.unit" class="unit"> {{ head.unit }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(line, index) in table.lines"
          :key="index"
          :class="{ sum: line.kind === 'sum', faded: isPickable && isFaded(rawText(line.raw)) }"
        >
          <td v-for="(cell, i) in line.cells" :key="i" :class="[{ figures: table.headings[i]?.isNumber }, cell.tone]">
            <button
              v-if="i === 0 && isPickable"
              type="button"
              :aria-pressed="picked.includes(rawText(line.raw))"
              @click="(event) => emit('pick', rawText(line.raw), event.ctrlKey || event.metaKey)"
            >
              {{ cell.text }}
            </button>
            <template v-else
              ><span v-if="cell.tone && cell.tone !== 'quiet'" aria-hidden="true" class="sign">{{
                toneSigns[cell.tone]
              }}</span
              >{{ cell.text }}</template
            >
          </td>
        </tr>
      </tbody>
      <tfoot v-if="table.foot">
        <tr>
          <td v-for="(cell, i) in table.foot" :key="i" :class="{ figures: table.headings[i]?.isNumber }">
            {{ cell.text }}
          </td>
        </tr>
      </tfoot>
    </table>
  </div>
  <p v-if="table.isCut" class="cut">Not all rows are shown.</p>
</template>
