<script setup lang="ts">
import { Button, Checkbox, Spin } from 'ant-design-vue';
import { computed, reactive, watch } from 'vue';
import { usualFolderPage, type Collection, type FolderPage } from '@underbell/core/folder';
import PermissionsPanel from '../access/PermissionsPanel.vue';
import { call } from '../platform/api.ts';
import OrderedField from '../platform/OrderedField.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** The start page of a folder: a collection that is shared as one. */
const props = defineProps<{ name: string }>();
const base = computed(() => encodeURIComponent(props.name));
const found = useResource<Collection>(() => `/api/v1/folders/${base.value}/contents`);
const page = useResource<FolderPage>(() => `/api/v1/folders/${base.value}/page`);
const { busy, problem, attempt } = useAttempt<'save'>();
const form = reactive({ words: '', order: [] as string[], hasPictures: true, origins: '' });
watch(page.data, (now = usualFolderPage) =>
  Object.assign(form, { ...now, order: [...now.order], origins: now.origins.join('\n') }),
);
const options = computed(() =>
  (found.data.value?.things ?? []).map((one) => ({ value: `${one.kind} ${one.name}`, label: one.title })),
);
const save = () =>
  attempt('save', async () => {
    const body = { ...form, origins: form.origins.split(/\s+/).filter(Boolean) };
    await call('PUT', `/api/v1/folders/${base.value}/page`, body);
    await Promise.all([found.reload(), page.reload()]);
  });
const frame = computed(
  () =>
    `<iframe src="${window.location.origin}/f/${props.name}" title="${found.data.value?.title ?? ''}" width="100%" height="640" referrerpolicy="strict-origin" style="border:0"></iframe>`,
);
</script>

<template>
  <p class="crumbs"><RouterLink to="/reports">Reports</RouterLink></p>
  <ProblemNote v-if="found.error.value" :problem="found.error.value" />
  <Spin v-else-if="!found.data.value" />
  <template v-else>
    <h1>{{ found.data.value.title }}</h1>
    <p class="quiet">Folder page: each user sees the items they have access to. <a :href="`/f/${name}`">Open</a></p>
    <form v-if="page.data.value" class="form" @submit.prevent="save">
      <div class="fields">
        <label class="wide">Introduction <textarea v-model="form.words" rows="3" maxlength="4000" /></label>
        <label class="wide"
          >Allowed origins, one per line
          <textarea v-model="form.origins" rows="2" placeholder="https://portal.example" />
        </label>
      </div>
      <OrderedField
        class="order"
        label="Shown first, in this order (others by title)"
        :options="options"
        :value="form.order"
        :least="0"
        @update:value="form.order = $event"
      />
      <Checkbox v-model:checked="form.hasPictures">Show thumbnails</Checkbox>
      <ProblemNote v-if="problem" :problem="problem" />
      <p class="more"><Button type="primary" html-type="submit" :loading="busy === 'save'">Save</Button></p>
      <template v-if="page.data.value.origins.length > 0">
        <h2>Snippets</h2>
        <pre tabindex="0">{{ frame }}</pre>
      </template>
    </form>
    <PermissionsPanel kind="folder" :name="name" />
  </template>
</template>

<style scoped>
.order {
  margin: 0.8rem 0;
  max-width: 34rem;
}
pre {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.6rem 0.8rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
