<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref, useTemplateRef } from 'vue';
import { isVideo, type ListedMedia, type ShownMedia } from '@underbell/core/media';
import { sendFile } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import DeleteButton from '../platform/DeleteButton.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant, showSize } from '../platform/format.ts';
import MediaPanel from './MediaPanel.vue';
import { nameFor } from './name.ts';

/** Images and videos that screens show beside reports. */
const { data, error, reload } = useResource<{ media: ListedMedia[] }>('/api/v1/media');
const { busy, problem, attempt } = useAttempt<'put'>();
const file = ref<File>();
const picker = useTemplateRef<HTMLInputElement>('picker');
const name = ref('');
const title = ref('');
const done = ref<ShownMedia>();
const opened = ref('');
const fileOf = (one: ListedMedia) => `/api/v1/media/${one.name}/file`;

function pick(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0];
  if (file.value && name.value === '') name.value = nameFor(file.value.name);
}
/** The next version of one that is there. */
function replace(one: ListedMedia): void {
  name.value = one.name;
  title.value = one.title;
  picker.value?.click();
}
const put = () =>
  attempt('put', async () => {
    done.value = undefined;
    const said = { file: file.value!.name, ...(title.value ? { title: title.value } : {}) };
    done.value = await sendFile('PUT', `/api/v1/media/${encodeURIComponent(name.value)}`, said, file.value!);
    name.value = title.value = '';
    file.value = undefined;
    if (picker.value) picker.value.value = '';
    await reload();
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/screens">Screens</RouterLink></p>
  <h1>Images and videos</h1>
  <p class="quiet">
    Images and videos for screens. A playlist shows the version it was published with. To change it, upload a new
    version and publish the playlist again.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <p v-if="data && data.media.length === 0" class="quiet">No media.</p>
  <ul class="media">
    <li v-for="one in data?.media ?? []" :key="one.name">
      <a :href="fileOf(one)" target="_blank" rel="noopener">
        <img :src="`/api/v1/media/${one.name}/thumbnail`" :alt="one.title" loading="lazy" />
      </a>
      <div>
        <h2>{{ one.title }}</h2>
        <p class="quiet">
          {{ one.name }}, version {{ one.newest.number }} · {{ one.newest.fileName }} ·
          <template v-if="isVideo(one.newest.type)">video · </template>
          <template v-if="one.newest.width">{{ one.newest.width }} × {{ one.newest.height }} · </template
          >{{ showSize(one.newest.sizeBytes) }} · {{ one.newest.by }}, {{ showInstant(one.newest.at) }}
        </p>
        <p class="more">
          <Button size="small" @click="replace(one)">Upload new version</Button>
          <Button
            size="small"
            :aria-expanded="opened === one.name"
            @click="opened = opened === one.name ? '' : one.name"
            >Versions, title and permissions</Button
          >
          <DeleteButton kind="media" :name="one.name" @gone="reload" @renamed="reload" />
        </p>
        <MediaPanel v-if="opened === one.name" :name="one.name" @changed="reload" />
      </div>
    </li>
  </ul>
  <h2>Upload</h2>
  <form class="fields" @submit.prevent="put">
    <label
      >PNG, JPEG, WebP, SVG, MP4 or WebM
      <input
        ref="picker"
        type="file"
        accept="image/png,image/jpeg,image/webp,image/svg+xml,video/mp4,video/webm"
        required
        @change="pick"
    /></label>
    <label>Name (used in URLs) <input v-model="name" required pattern="[a-z][a-z0-9\-]*" maxlength="60" /></label>
    <label>Title <input v-model="title" maxlength="200" :placeholder="name" /></label>
    <Button type="primary" html-type="submit" :loading="busy === 'put'">Upload</Button>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="done" role="status">
    <b>{{ done.title }}</b>, version {{ done.newest.number }}, is ready.
  </p>
</template>

<style scoped>
.media {
  list-style: none;
  padding: 0;
}
.media li {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem 1rem;
  padding: 0.6rem 0;
  border-bottom: 1px solid var(--line);
}
.media li > div {
  flex: 1;
  min-width: 16rem;
}
.media h2 {
  margin: 0;
}
.media img {
  width: 12rem;
  height: 6.75rem;
  object-fit: contain;
  background: var(--paper);
  border: 1px solid var(--line);
}
</style>
