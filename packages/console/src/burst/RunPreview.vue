<script setup lang="ts">
import { Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { capitalised, showCount, showSize } from '../platform/format.ts';
import type { ShownPlan, ShownPlanEntry } from '@underbell/core/burst/apiTypes';

const props = defineProps<{ plan: ShownPlan }>();
const only = ref<'all' | 'skipped' | 'striking'>('all');
const isShown: Record<typeof only.value, (one: ShownPlanEntry) => boolean> = {
  all: () => true,
  skipped: (one) => one.action !== 'send',
  striking: (one) => one.mark !== undefined,
};
const entries = computed(() => props.plan.entries.filter(isShown[only.value]));
const striking = computed(() => props.plan.entries.filter((one) => one.mark !== undefined).length);
const refused = computed(() => props.plan.entries.filter((one) => one.action === 'refuse').length);
const sample = (entry: ShownPlanEntry, format: string) =>
  `/api/v1/bursts/${props.plan.burst}/sample?${new URLSearchParams({
    recipient: entry.recipient,
    format,
    ...(props.plan.period.name === 'once' ? {} : { period: props.plan.period.name }),
  }).toString()}`;
const settingWords = {
  period: 'the period of the run',
  burst: 'set by the burst',
  default: 'the report’s default',
} as const;
const columns = computed(() => [
  { title: 'Recipient', key: 'recipient', width: 110 },
  { title: 'Address', dataIndex: 'address', width: 240, ellipsis: true },
  { title: 'Filter', key: 'filter', width: 260 },
  { title: 'Rows', key: 'rows', align: 'right' as const, width: 80 },
  ...(props.plan.before ? [{ title: 'Before', key: 'before', align: 'right' as const, width: 150 }] : []),
  { title: 'Files, or why skipped', key: 'files' },
]);
</script>

<template>
  <p>
    <b>{{ showCount(plan.counts.planned) }} copies</b> of {{ showCount(plan.counts.rows) }} rows in
    {{ showCount(plan.counts.files) }} files would go out for {{ plan.period.words }}; {{ plan.counts.skipped }} of
    {{ plan.counts.recipients }} recipients would be skipped. Nothing has been sent.
  </p>
  <p class="quiet">
    Limits for all, under the rights of {{ plan.sender }}:
    <span v-for="(limit, i) in plan.limits" :key="limit.origin + limit.name"
      >{{ i > 0 ? '; ' : '' }}{{ i === 0 ? capitalised(limit.words) : limit.words }} ({{ limit.origin }}
      {{ limit.name }})</span
    >
  </p>
  <p v-if="plan.parameters.length > 0" class="quiet">
    Parameters:
    <span v-for="(one, i) in plan.parameters" :key="one.parameter"
      >{{ i > 0 ? '; ' : '' }}{{ one.label }} <template v-if="one.from === 'nothing'">filters nothing</template
      ><template v-else-if="one.from === 'list'">is each recipient’s {{ one.value }}</template
      ><template v-else>is {{ one.value }} ({{ settingWords[one.from] }})</template></span
    >.
  </p>
  <p v-if="plan.skippedRows">
    The list <RouterLink :to="`/lists/${plan.skippedRows.list}`">{{ plan.skippedRows.list }}</RouterLink> was loaded
    without {{ plan.skippedRows.rows }} invalid {{ plan.skippedRows.rows === 1 ? 'row' : 'rows' }}.
  </p>
  <p v-if="plan.repeatedTimes">
    {{ plan.repeatedTimes.repeated }} of its next {{ plan.repeatedTimes.of }} times are about a period that an earlier
    one is about: they reach only those who have none yet.
  </p>
  <p>
    <template v-if="plan.destination.kind === 'mail'"
      >They go by mail<template v-if="plan.destination.showsPage">, in letters that show the page</template></template
    ><template v-else>They go to the {{ plan.destination.kind }}&nbsp;</template
    ><RouterLink v-if="plan.destination.name !== 'mail'" to="/destinations">{{ plan.destination.name }}</RouterLink
    ><template v-if="plan.destination.folder">, into {{ plan.destination.folder }}</template
    ><template v-if="plan.destination.isAnnounced">, and a letter says where they lie</template
    ><template v-if="plan.destination.limits.length > 0"
      >; it takes {{ plan.destination.limits.join(', ')
      }}<template v-if="plan.destination.leastMs >= 1000"
        >, so that they take {{ Math.round(plan.destination.leastMs / 1000) }} s at least</template
      ></template
    >.
  </p>
  <p class="quiet">
    <template v-if="plan.asSeenBy === 'recipient'"
      >Every copy is limited by its recipient’s own rules as well as by those of {{ plan.sender }}.</template
    ><template v-else
      >What {{ plan.sender }} may see is the outer limit of every copy; recipients’ own rules do not matter.</template
    >
    Rows and figures are read
    {{ plan.strategy.kind === 'one pass' ? 'in one pass for all' : 'with a query for each copy' }}:
    {{ plan.strategy.because }}.
  </p>
  <p v-if="plan.release.length > 0">
    Nothing is made before a second person releases the run: {{ plan.release.join(' or ') }}.
  </p>
  <p v-if="plan.destination.state !== 'ready'" class="refused" role="alert">
    The destination is {{ plan.destination.state }}: {{ plan.destination.reason }}. The run would wait for it.
  </p>
  <p v-if="plan.bounced.length > 0" class="refused" role="alert">
    The last copy came back from {{ plan.bounced.map((one) => `${one.recipient} (${one.reason})`).join(', ') }}.
  </p>
  <p v-if="plan.template" class="quiet">
    The workbook <RouterLink to="/workbook-templates">{{ plan.template.name }}</RouterLink>, version
    {{ plan.template.version }}, gets {{ plan.template.filled.join(', ')
    }}<template v-if="plan.template.computed.length > 0">; it computes {{ plan.template.computed.join(', ') }}</template
    ><template v-if="plan.template.left.length > 0">; people write {{ plan.template.left.join(', ') }}</template
    >.<template v-for="one in plan.template.warnings" :key="one"> {{ capitalised(one) }}.</template>
  </p>
  <p v-if="plan.unwritable" class="refused" role="alert">
    {{ plan.unwritable.encoding }} has no {{ plan.unwritable.characters.map((one) => `“${one}”`).join(' ') }} (in
    {{ plan.unwritable.columns.join(', ') }}): the first copy with one stops the run. UTF-8 has every character.
  </p>
  <p v-if="refused > 0" class="refused" role="alert">
    The run would be refused: {{ refused }} recipients have no rows, and this burst does not go out then.
  </p>
  <p v-if="plan.counts.planned > 0" class="beside">
    <template v-if="plan.costs.computingMs > 0 || plan.costs.unknown.length === 0"
      >By what copies cost so far: {{ (plan.costs.computingMs / 1000).toFixed(1) }} s of queries and making,
      {{ showCount(plan.costs.rowsRead) }} rows read, {{ showSize(plan.costs.bytes)
      }}<template v-if="plan.costs.unknown.length > 0"
        >, and what {{ plan.costs.unknown.join(' and ') }} cost on top: no such copy was ever made here</template
      >.</template
    ><template v-else
      >{{ showCount(plan.costs.rowsRead) }} rows will be read; what it costs is not known yet, no copy as
      {{ plan.costs.unknown.join(' or ') }} was ever made here.</template
    >
    <b
      v-for="one in plan.costs.limits.filter((limit) => limit.state !== 'fine')"
      :key="one.folder"
      :class="one.state === 'stopped' ? 'refused' : 'mark'"
    >
      The folder {{ one.folder }} has {{ one.words }};
      {{ one.state === 'stopped' ? 'with this run nothing planned starts in it any more' : 'it comes near its limit' }}.
    </b>
  </p>
  <p v-if="plan.before" class="beside">
    Beside run {{ plan.before.run }} ({{ plan.before.period }}, {{ plan.before.copies }}
    {{ plan.before.copies === 1 ? 'copy' : 'copies' }}):
    <b>{{ striking === 0 ? 'nothing strikes' : `${striking} striking` }}</b><template v-if="plan.gone.length > 0"
      >, gone: {{ plan.gone.join(', ') }}</template
    >. About {{ showSize(plan.bytes)
    }}<template v-if="plan.before.expectedMs">, {{ Math.max(1, Math.round(plan.before.expectedMs / 1000)) }} s</template
    >.
  </p>
  <label class="only"
    >Show
    <select v-model="only" class="plain">
      <option value="all">everybody</option>
      <option value="skipped">those who would be skipped</option>
      <option v-if="plan.before" value="striking">what strikes beside the run before</option>
    </select></label
  >
  <Table
    :columns="columns"
    :data-source="entries"
    row-key="recipient"
    size="small"
    :pagination="{ pageSize: 15, showSizeChanger: false, hideOnSinglePage: true }"
  >
    <template #bodyCell="{ column, record }">
      <RouterLink
        v-if="column.key === 'recipient'"
        :to="{
          name: 'recipient',
          params: { name: plan.burst, recipient: record.recipient },
          query: { period: plan.period.name },
        }"
        >{{ record.recipient }}</RouterLink
      >
      <template v-else-if="column.key === 'rows'">{{ showCount(record.rows) }}</template>
      <template v-else-if="column.key === 'before'">
        <b v-if="record.mark" class="mark">{{ record.mark }}</b>
        {{ record.rowsBefore === undefined ? '' : showCount(record.rowsBefore) }}
      </template>
      <template v-else-if="column.key === 'filter'">{{ capitalised(record.filter) }}</template>
      <template v-else-if="column.key === 'files'">
        <span v-if="record.files.length === 0 || record.action !== 'send'" class="quiet">– {{ record.reason }}</span>
        <template v-else>
          <span v-if="record.reason" class="mark">{{ capitalised(record.reason) }}</span>
          <span
            v-for="file in (record as ShownPlanEntry).files.filter((one) => !one.isInline)"
            :key="file.name"
            class="sample"
            ><a
              :href="sample(record as ShownPlanEntry, file.format)"
              :download="file.name"
              :title="`Make ${file.name} now and look at it; nothing is sent`"
              >{{ file.name }}</a
            ><span v-if="file.bytes" class="quiet">&ensp;about {{ showSize(file.bytes) }}</span></span
          >
        </template>
      </template>
    </template>
  </Table>
</template>

<style scoped>
.only {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
  margin-bottom: 0.6rem;
}
.mark {
  color: var(--brass);
  font-weight: 600;
}
.sample {
  display: block;
  width: max-content;
  max-width: 100%;
}
.refused {
  color: var(--signal);
}
.beside {
  margin: 0.2rem 0 0.6rem;
}
</style>
