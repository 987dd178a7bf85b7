<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ListedPlaylist } from '@underbell/core/screen';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';

/** What screens show, one after the other. */
const router = useRouter();
const { data, error } = useResource<{ playlists: ListedPlaylist[] }>('/api/v1/playlists');
const name = ref('');
</script>

<template>
  <p class="crumbs"><RouterLink to="/screens">Screens</RouterLink></p>
  <h1>Playlists</h1>
  <p class="quiet">A playlist shows slots in turn. Filters use screen attributes, so each screen shows its own data.</p>
  <ProblemNote v-if="error" :problem="error" />
  <p v-if="data && data.playlists.length === 0" class="quiet">No playlists.</p>
  <ul>
    <li v-for="one in data?.playlists ?? []" :key="one.name">
      <RouterLink :to="`/playlists/${one.name}`">{{ one.title }}</RouterLink>
      <span class="quiet"
        >{{ showCount(one.slots) }} {{ one.slots === 1 ? 'slot' : 'slots' }} ·
        {{ one.revision === null ? 'not published' : `version ${one.revision}` }} ·
        {{ one.targets.map((target) => target.name).join(', ') || 'not published' }} · edited by {{ one.changedBy }},
        {{ showInstant(one.changedAt) }}</span
      >
    </li>
  </ul>
  <form class="new" @submit.prevent="router.push(`/playlists/${name}`)">
    <label>Name (used in URLs) <input v-model="name" required pattern="[a-z][a-z0-9\-]*" maxlength="60" /></label>
    <Button html-type="submit">Create playlist</Button>
  </form>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 0.9rem;
  padding: 0.4rem 0;
  border-bottom: 1px solid var(--line);
}
.new {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem;
  align-items: end;
}
.new label {
  display: flex;
  flex-direction: column;
}
input {
  font: inherit;
  color: inherit;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.2rem 0.4rem;
}
</style>
