<script setup lang="ts">
import type { ShownDataset } from '@underbell/core/dataset';
import { Button, Spin, Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import { maskWords, type Mask, type RowRule } from '@underbell/core/access';
import MaskForm from '../rule/MaskForm.vue';
import { holderWords } from '../rule/rowRuleText.ts';
import PermissionsPanel from '../access/PermissionsPanel.vue';
import RowRuleEditor from '../rule/RowRuleEditor.vue';
import MoveToTrashButton from '../folder/MoveToTrashButton.vue';
import FavouriteButton from '../folder/FavouriteButton.vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { capitalised, showCount, showInstant } from '../platform/format.ts';
import RefreshPanel from '../refresh/RefreshPanel.vue';
import ColumnsPanel from './ColumnsPanel.vue';
import PreviewPanel from './PreviewPanel.vue';

const props = defineProps<{ name: string }>();
const router = useRouter();
const base = computed(() => `/api/v1/datasets/${encodeURIComponent(props.name)}`);
const { data: dataset, error, reload } = useResource<ShownDataset>(base);
const rules = useResource<{ rules: RowRule[] }>(() => `${base.value}/row-rules`);
const masks = useResource<{ masks: Mask[] }>(() => `${base.value}/masks`);
const current = computed(() => dataset.value?.revisions.find((one) => one.isCurrent));
const edited = ref<RowRule | 'new'>();
const isMasking = ref(false);

const ruleColumns = [
  { title: 'Rule', dataIndex: 'name' },
  { title: 'Applies to', key: 'holder' },
  { title: 'Visible rows', key: 'where' },
  { title: '', key: 'act', width: 170 },
];
const maskColumns = [
  { title: 'Mask', dataIndex: 'name' },
  { title: 'Applies to', key: 'holder' },
  { title: 'Effect', key: 'effect' },
  { title: '', key: 'act', width: 180 },
];

const { problem, attempt } = useAttempt();
const dropRule = (rule: RowRule) =>
  attempt('work', async () => {
    const isLast = rules.data.value?.rules.length === 1;
    await call('DELETE', `${base.value}/row-rules/${rule.name}${isLast ? '?confirmed=true' : ''}`);
    await rules.reload();
  });
const dropMask = (mask: Mask) =>
  attempt('work', async () => {
    await call('DELETE', `${base.value}/masks/${mask.name}`);
    await masks.reload();
  });
async function ruleSaved(): Promise<void> {
  edited.value = undefined;
  await rules.reload();
}
async function maskSaved(): Promise<void> {
  isMasking.value = false;
  await masks.reload();
}
</script>

<template>
  <p class="crumbs"><RouterLink to="/data">Data</RouterLink></p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!dataset" />
  <template v-else>
    <h1>{{ dataset.title }}</h1>
    <p class="quiet">
      <code>{{ name }}</code> ·
      {{
        dataset.kind === 'live'
          ? `live from ${dataset.source}`
          : dataset.source
            ? `from ${dataset.source}`
            : 'uploaded file'
      }}
      <template v-if="current">
        · version {{ current.number }}, {{ showCount(current.rows) }} rows,
        {{ showInstant(current.finishedAt) }}</template
      >
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
    <p v-if="dataset.description">{{ dataset.description }}</p>
    <p class="jumps">
      <a href="#columns">Columns</a> <a href="#preview">Rows</a> <a href="#refresh">Refreshes</a>
      <a href="#rules">Row rules</a>
      <RouterLink v-if="!dataset.source" :to="{ path: '/data/upload', query: { dataset: name } }"
        >Import new file</RouterLink
      >
      <RouterLink v-if="dataset.sql" :to="`/data/${name}/sql`">Edit SQL</RouterLink>
      <FavouriteButton kind="dataset" :name="name" />
    </p>
    <ColumnsPanel :name="name" :dataset="dataset" @changed="reload" />
    <PreviewPanel :name="name" />
    <RefreshPanel :name="name" :dataset="dataset" @changed="reload" />
    <h2 id="rules">Row rules</h2>
    <p class="quiet">
      All rules for everyone must match. If there are rules for groups or users, one that applies to the user must match
      too; otherwise the user sees no rows.
    </p>
    <ProblemNote v-if="rules.error.value" :problem="rules.error.value" />
    <template v-else>
      <Table
        :columns="ruleColumns"
        :data-source="rules.data.value?.rules ?? []"
        row-key="name"
        size="small"
        :pagination="false"
      >
        <template #bodyCell="{ column, record }">
          <template v-if="column.key === 'holder'">{{ holderWords(record.appliesTo) }}</template>
          <code v-else-if="column.key === 'where'">{{ record.where }}</code>
          <span v-else-if="column.key === 'act'" class="acts">
            <Button size="small" @click="edited = record as RowRule">Edit</Button>
            <Rename :path="`${base}/row-rules`" :name="record.name" :leads="false" @renamed="rules.reload()" />
            <ConfirmAction
              is-dangerous
              :title="
                rules.data.value?.rules.length === 1
                  ? 'This is the last row rule. Everyone with a report on this dataset will see all rows. Delete it?'
                  : 'Delete this row rule? Users without another matching rule will see no rows.'
              "
              ok-text="Delete"
              @confirm="dropRule(record as RowRule)"
              ><Button size="small" danger>Delete</Button></ConfirmAction
            >
          </span>
        </template>
        <template #emptyText>No row rules: users with a report on this dataset see all rows.</template>
      </Table>
      <RowRuleEditor
        v-if="edited !== undefined"
        :key="edited === 'new' ? 'new' : edited.name"
        :dataset="name"
        :rule="edited === 'new' ? undefined : edited"
        @saved="ruleSaved"
        @closed="edited = undefined"
      />
      <p v-else class="after"><Button type="primary" @click="edited = 'new'">Create row rule</Button></p>
      <h2>Masks</h2>
      <Table
        :columns="maskColumns"
        :data-source="masks.data.value?.masks ?? []"
        row-key="name"
        size="small"
        :pagination="false"
      >
        <template #bodyCell="{ column, record }">
          <template v-if="column.key === 'holder'"
            >{{ holderWords(record.appliesTo)
            }}<template v-if="record.except.length > 0">, except {{ record.except.join(', ') }}</template></template
          >
          <template v-else-if="column.key === 'effect'">{{ capitalised(maskWords(record.effect)) }}</template>
          <span v-else-if="column.key === 'act'" class="acts">
            <Rename :path="`${base}/masks`" :name="record.name" :leads="false" @renamed="masks.reload()" />
            <ConfirmAction
              is-dangerous
              title="Delete this mask? Viewers see exact values again."
              ok-text="Delete"
              @confirm="dropMask(record as Mask)"
              ><Button size="small" danger>Delete</Button></ConfirmAction
            >
          </span>
        </template>
        <template #emptyText>No masks.</template>
      </Table>
      <MaskForm
        v-if="isMasking"
        :dataset="name"
        :columns="dataset.columns"
        @saved="maskSaved"
        @closed="isMasking = false"
      />
      <p v-else class="after"><Button @click="isMasking = true">Create mask</Button></p>
    </template>
    <PermissionsPanel kind="dataset" :name="name" />
    <MoveToTrashButton kind="dataset" :name="name" :title="dataset.title" @gone="router.push('/data')" />
  </template>
</template>

<style scoped>
.acts {
  display: flex;
  gap: 0.4rem;
}
.after {
  margin-top: 0.8rem;
}
</style>
