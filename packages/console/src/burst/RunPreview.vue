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
  period: 'period of the run',
  burst: 'set in burst',
  default: 'report default',
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
    <b>{{ showCount(plan.counts.planned) }} copies</b>, {{ showCount(plan.counts.rows) }} rows,
    {{ showCount(plan.counts.files) }} files for {{ plan.period.words }}. {{ plan.counts.skipped }} of
    {{ plan.counts.recipients }} recipients skipped. Nothing was sent.
  </p>
  <p class="quiet">
    Filters for all copies (permissions of {{ plan.sender }}):
    <span v-for="(limit, i) in plan.limits" :key="limit.origin + limit.name"
      >{{ i > 0 ? '; ' : '' }}{{ i === 0 ? capitalised(limit.words) : limit.words }} ({{ limit.origin }}
      {{ limit.name }})</span
    >
  </p>
  <p v-if="plan.parameters.length > 0" class="quiet">
    Parameters:
    <span v-for="(one, i) in plan.parameters" :key="one.parameter"
      >{{ i > 0 ? '; ' : '' }}{{ one.label }} <template v-if="one.from === 'nothing'">no filter</template
      ><template v-else-if="one.from === 'list'">from column {{ one.value }}</template
      ><template v-else>is {{ one.value }} ({{ settingWords[one.from] }})</template></span
    >.
  </p>
  <p v-if="plan.skippedRows">
    The list <RouterLink :to="`/lists/${plan.skippedRows.list}`">{{ plan.skippedRows.list }}</RouterLink> was loaded
    without {{ plan.skippedRows.rows }} invalid {{ plan.skippedRows.rows === 1 ? 'row' : 'rows' }}.
  </p>
  <p v-if="plan.repeatedTimes">
    {{ plan.repeatedTimes.repeated }} of the next {{ plan.repeatedTimes.of }} runs repeat a period. They only go to
    recipients without a copy.
  </p>
  <p>
    <template v-if="plan.destination.kind === 'mail'"
      >Delivery: email<template v-if="plan.destination.showsPage"> with the page</template></template
    ><template v-else>Delivery: {{ plan.destination.kind }}&nbsp;</template
    ><RouterLink v-if="plan.destination.name !== 'mail'" to="/destinations">{{ plan.destination.name }}</RouterLink
    ><template v-if="plan.destination.folder">, folder {{ plan.destination.folder }}</template
    ><template v-if="plan.destination.isAnnounced">, with notification email</template
    ><template v-if="plan.destination.limits.length > 0"
      >; rate limit {{ plan.destination.limits.join(', ')
      }}<template v-if="plan.destination.leastMs >= 1000"
        >, at least {{ Math.round(plan.destination.leastMs / 1000) }} s</template
      ></template
    >.
  </p>
  <p class="quiet">
    <template v-if="plan.asSeenBy === 'recipient'">Row rules of {{ plan.sender }} and of each recipient apply.</template
    ><template v-else>Row rules of {{ plan.sender }} apply to all copies.</template> Read strategy:
    {{ plan.strategy.kind === 'one pass' ? 'single scan' : 'query per copy' }} ({{ plan.strategy.because }}).
  </p>
  <p v-if="plan.release.length > 0">Needs approval by {{ plan.release.join(' or ') }}.</p>
  <p v-if="plan.destination.state !== 'ready'" class="refused" role="alert">
    Destination {{ plan.destination.state }}: {{ plan.destination.reason }}. The run will wait.
  </p>
  <p v-if="plan.bounced.length > 0" class="refused" role="alert">
    Last email bounced: {{ plan.bounced.map((one) => `${one.recipient} (${one.reason})`).join(', ') }}.
  </p>
  <p v-if="plan.template" class="quiet">
    Workbook template <RouterLink to="/workbook-templates">{{ plan.template.name }}</RouterLink>, version
    {{ plan.template.version }}: filled {{ plan.template.filled.join(', ')
    }}<template v-if="plan.template.computed.length > 0">; formulas {{ plan.template.computed.join(', ') }}</template
    ><template v-if="plan.template.left.length > 0">; manual {{ plan.template.left.join(', ') }}</template
    >.<template v-for="one in plan.template.warnings" :key="one"> {{ capitalised(one) }}.</template>
  </p>
  <p v-if="plan.unwritable" class="refused" role="alert">
    {{ plan.unwritable.encoding }} has no {{ plan.unwritable.characters.map((one) => `“${one}”`).join(' ') }} (in
    {{ plan.unwritable.columns.join(', ') }}): the first copy with one stops the run. UTF-8 has every character.
  </p>
  <p v-if="refused > 0" class="refused" role="alert">
    The run would be rejected: {{ refused }} recipients have no rows.
  </p>
  <p v-if="plan.counts.planned > 0" class="beside">
    <template v-if="plan.costs.computingMs > 0 || plan.costs.unknown.length === 0"
      >Estimate from earlier copies: {{ (plan.costs.computingMs / 1000).toFixed(1) }} s compute time,
      {{ showCount(plan.costs.rowsRead) }} rows read, {{ showSize(plan.costs.bytes)
      }}<template v-if="plan.costs.unknown.length > 0"
        >; no estimate for {{ plan.costs.unknown.join(' and ') }} yet</template
      >.</template
    ><template v-else
      >{{ showCount(plan.costs.rowsRead) }} rows will be read; no estimate for
      {{ plan.costs.unknown.join(' or ') }} yet.</template
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
    Compared with run {{ plan.before.run }} ({{ plan.before.period }}, {{ plan.before.copies }}
    {{ plan.before.copies === 1 ? 'copy' : 'copies' }}):
    <b>{{ striking === 0 ? 'nothing unusual' : `${striking} unusual` }}</b><template v-if="plan.gone.length > 0"
      >, gone: {{ plan.gone.join(', ') }}</template
    >. About {{ showSize(plan.bytes)
    }}<template v-if="plan.before.expectedMs">, {{ Math.max(1, Math.round(plan.before.expectedMs / 1000)) }} s</template
    >.
  </p>
  <label class="only"
    >Show
    <select v-model="only" class="plain">
      <option value="all">all recipients</option>
      <option value="skipped">skipped</option>
      <option v-if="plan.before" value="striking">unusual</option>
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
              :title="`Download a sample of ${file.name}; nothing is sent`"
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
