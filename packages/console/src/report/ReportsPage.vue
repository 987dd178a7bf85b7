<script setup lang="ts">
import type { FolderContents } from '@underbell/core/folder';
import { Empty, Table } from 'ant-design-vue';
import { computed } from 'vue';
import type { ListedReport } from '@underbell/core/report';
import FolderField from '../folder/FolderField.vue';
import FoldersPanel from '../folder/FoldersPanel.vue';
import LinkButton from '../platform/LinkButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';
import { useSession } from '../session/useSession.ts';

const { isAuthor } = useSession();
const { data, error, isLoading } = useResource<{ reports: ListedReport[] }>('/api/v1/reports');
const reports = computed(() => data.value?.reports ?? []);
const contents = useResource<FolderContents>('/api/v1/contents');
const columns = [
  { title: 'Report', key: 'title' },
  { title: 'Folder', key: 'folder', width: 210 },
  { title: 'Edition', dataIndex: 'edition', align: 'right' as const, width: 90 },
  { title: 'Published', key: 'published', width: 300 },
];
</script>

<template>
  <h1>Reports</h1>
  <p class="quiet">A report has one stable name. Placements show its current edition.</p>
  <p class="more">
    <LinkButton v-if="isAuthor" to="/reports/publish" type="primary">Publish</LinkButton>
    <RouterLink to="/trash">Trash</RouterLink>
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Table v-else :columns="columns" :data-source="reports" row-key="name" :loading="isLoading" :pagination="false">
    <template #emptyText><Empty description="No reports" /></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'title'">
        <RouterLink :to="`/reports/${record.name}`">{{ record.title }}</RouterLink>
        <code class="quiet name">{{ record.name }}</code><br />
        <span class="quiet">{{ record.description }}</span>
      </template>
      <FolderField
        v-else-if="column.key === 'folder'"
        kind="report"
        :name="record.name"
        :contents="contents.data.value"
        @moved="contents.reload"
      />
      <template v-else-if="column.key === 'published'"
        >{{ showInstant(record.publishedAt) }} by {{ record.publishedBy }}</template
      >
    </template>
  </Table>
  <FoldersPanel :contents="contents.data.value" @changed="contents.reload" />
</template>

<style scoped>
.name {
  margin-left: 0.5rem;
}
</style>
