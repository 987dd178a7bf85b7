<script setup lang="ts">
import type { RecordTry } from '@underbell/core/preview';
import { showCount } from '../platform/format.ts';
import PagePreview from '../preview/PagePreview.vue';

/** What a placement shows beside a record: the filter that was understood, the rows, the page. */
defineProps<{ tried: RecordTry; title: string }>();
const emit = defineEmits<{ take: [field: string, value: string] }>();
</script>

<template>
  <p v-if="tried.refused" role="status" class="nothing">
    <b>Not shown:</b> {{ tried.refused.message
    }}<template v-if="tried.refused.hint">; {{ tried.refused.hint }}</template
    >.
  </p>
  <table v-for="one in tried.datasets" :key="one.dataset">
    <thead>
      <tr>
        <th scope="col">{{ one.dataset }}</th>
        <th scope="col">filter</th>
        <th scope="col" class="number">rows</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="limit in one.limits" :key="limit.origin + limit.name + limit.words">
        <td class="quiet">{{ limit.origin }}</td>
        <td>{{ limit.words }}</td>
        <td class="number">{{ limit.rowsLeft === undefined ? '' : showCount(limit.rowsLeft) }}</td>
      </tr>
      <tr>
        <td />
        <td><b>total</b></td>
        <td class="number">
          <b>{{ one.rows === undefined ? '' : showCount(one.rows) }}</b>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-for="(values, field) in tried.nearest" :key="field" role="status">
    No rows with this {{ field }}. Values:
    <button v-for="value in values" :key="value" type="button" class="near" @click="emit('take', field, value)">
      {{ value }}
    </button>
  </p>
  <PagePreview v-if="tried.view" :title="title" :answer="tried.view" />
</template>

<style scoped>
table {
  width: 100%;
  border-collapse: collapse;
  margin-bottom: 0.6rem;
}
th,
td {
  text-align: left;
  padding: 0.2rem 0.6rem 0.2rem 0;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
}
.number {
  text-align: right;
}
.nothing {
  border-left: 3px solid var(--brass);
  padding-left: 0.8rem;
}
.near {
  font: inherit;
  border: 1px solid var(--sea);
  border-radius: 4px;
  background: none;
  color: var(--sea);
  margin-left: 0.3rem;
  cursor: pointer;
}
</style>
