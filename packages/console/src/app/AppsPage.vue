<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ShownApp } from '@underbell/core/app';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';
import { useSession } from '../session/useSession.ts';
import AppSetupForm from './AppSetupForm.vue';

/** Business apps in which reports stand beside records. */
const { person } = useSession();
const router = useRouter();
const { data, error } = useResource<{ apps: ShownApp[] }>('/api/v1/apps');
const isAdding = ref(false);
</script>

<template>
  <p class="crumbs"><RouterLink to="/placements">Placements</RouterLink></p>
  <h1>Business apps</h1>
  <p class="quiet">
    Business apps show reports with their records. Companies can use variants. An administrator must enable an app
    first.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <p v-if="data && data.apps.length === 0" class="quiet">No apps.</p>
  <ul v-else>
    <li v-for="one in data?.apps ?? []" :key="one.name">
      <RouterLink :to="`/apps/${one.name}`">{{ one.title }}</RouterLink>
      <b :class="{ off: !one.isOn }">{{ one.isOn ? 'enabled' : 'disabled' }}</b>
      <span class="quiet">
        {{ showCount(one.places.length) }} {{ one.places.length === 1 ? 'placement' : 'placements'
        }}<template v-if="one.switchedAt">
          · {{ one.isOn ? 'enabled' : 'disabled' }} by {{ one.switchedBy }}, {{ showInstant(one.switchedAt) }}</template
        >
      </span>
    </li>
  </ul>
  <template v-if="person?.isAdministrator">
    <Button v-if="!isAdding" type="primary" @click="isAdding = true">Add app</Button>
    <AppSetupForm v-else @saved="(name) => router.push(`/apps/${name}`)" @close="isAdding = false" />
  </template>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 0.9rem;
  padding: 0.4rem 0;
  border-bottom: 1px solid var(--line);
}
.off {
  color: var(--signal);
}
</style>
