<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, ref, watch } from 'vue';
import type { ShownMedia } from '@underbell/core/media';
import PermissionsPanel from '../access/PermissionsPanel.vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant, showSize } from '../platform/format.ts';

/** One picture or video: its title, its versions, what shows it, and who may. */
const props = defineProps<{ name: string }>();
const emit = defineEmits<{ changed: [] }>();
const path = computed(() => `/api/v1/media/${encodeURIComponent(props.name)}`);
const { data, error, reload } = useResource<ShownMedia>(path);
const { busy, problem, attempt } = useAttempt<'title'>();
const title = ref('');
watch(data, (one) => (title.value = one?.title ?? ''));
const retitle = () =>
  attempt('title', async () => {
    await call('PUT', `${path.value}/title`, { title: title.value });
    await reload();
    emit('changed');
  });
</script>

<template>
  <ProblemNote v-if="error" :problem="error" />
  <section v-else-if="data" class="framed" :aria-label="data.title">
    <form v-if="data.right !== 'view'" class="fields" @submit.prevent="retitle">
      <label>Title <input v-model="title" required maxlength="200" /></label>
      <Button html-type="submit" :disabled="title === data.title" :loading="busy === 'title'">Save title</Button>
    </form>
    <ProblemNote v-if="problem" :problem="problem" />
    <p>{{ data.usedBy.length > 0 ? `Used by ${data.usedBy.join(', ')}.` : 'Not used by a playlist.' }}</p>
    <ul>
      <li v-for="one in data.versions" :key="one.number">
        <a :href="`${path}/file?version=${one.number}`" target="_blank" rel="noopener">Version {{ one.number }}</a>
        <span class="quiet"
          >&nbsp;{{ one.fileName }}, {{ showSize(one.sizeBytes) }}, {{ showInstant(one.at) }} by {{ one.by }}</span
        >
      </li>
    </ul>
    <PermissionsPanel v-if="data.right !== 'view'" kind="media" :name="name" />
  </section>
</template>
