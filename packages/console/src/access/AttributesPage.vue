<script setup lang="ts">
import { Button, Empty, Table } from 'ant-design-vue';
import { reactive } from 'vue';
import { columnTypes } from '@underbell/core/dataset';
import type { ShownAttribute } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import AccessTabs from './AccessTabs.vue';

const { data, error, isLoading, reload } = useResource<{ attributes: ShownAttribute[] }>('/api/v1/user-attributes');
const { busy, problem, attempt } = useAttempt<'save' | 'remove'>();
const form = reactive({ name: '', label: '', type: 'text', isMany: false });
const columns = [
  { title: 'Attribute', dataIndex: 'name' },
  { title: 'Label', dataIndex: 'label' },
  { title: 'Type', dataIndex: 'type' },
  { title: 'Values', key: 'many' },
  { title: '', key: 'act', width: 270 },
];
const save = () =>
  attempt('save', async () => {
    const { name, ...body } = form;
    await call('PUT', `/api/v1/user-attributes/${encodeURIComponent(name)}`, body);
    Object.assign(form, { name: '', label: '', type: 'text', isMany: false });
    await reload();
  });
const remove = (name: string) =>
  attempt('remove', async () => {
    await call('DELETE', `/api/v1/user-attributes/${encodeURIComponent(name)}`);
    await reload();
  });
</script>

<template>
  <AccessTabs current="attributes" />
  <p class="quiet">Values of users that row rules can use, for example: <code>quay IN (person('quay'))</code>.</p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <Table
    :columns="columns"
    :data-source="data?.attributes ?? []"
    row-key="name"
    size="small"
    :loading="isLoading"
    :pagination="false"
  >
    <template #emptyText><Empty description="No attributes" /></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'many'">{{ record.isMany ? 'multiple' : 'single' }}</template>
      <span v-else-if="column.key === 'act'" class="acts">
        <Button size="small" @click="Object.assign(form, record)">Edit</Button>
        <Rename path="/api/v1/user-attributes" :name="record.name" pattern="[a-z][a-z0-9_]*" @renamed="reload" />
        <ConfirmAction
          is-dangerous
          :title="`Delete attribute “${record.name}”? Not possible while a user or row rule uses it.`"
          ok-text="Delete"
          @confirm="remove(record.name)"
        >
          <Button size="small" danger :loading="busy === 'remove'">Delete</Button>
        </ConfirmAction>
      </span>
    </template>
  </Table>
  <h2>Create or edit an attribute</h2>
  <form class="fields" @submit.prevent="save">
    <label>Name <input v-model="form.name" required pattern="[a-z][a-z0-9_]*" placeholder="quay" /></label>
    <label>Label <input v-model="form.label" required placeholder="Quay" /></label>
    <label
      >Type
      <select v-model="form.type">
        <option v-for="type in columnTypes" :key="type">{{ type }}</option>
      </select></label
    >
    <label
      >Values
      <select v-model="form.isMany">
        <option :value="false">single</option>
        <option :value="true">multiple</option>
      </select></label
    >
    <Button type="primary" html-type="submit" :loading="busy === 'save'">Save</Button>
  </form>
</template>

<style scoped>
.acts {
  display: inline-flex;
  gap: 0.4rem;
}
</style>
