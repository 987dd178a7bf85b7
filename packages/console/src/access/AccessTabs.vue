<script setup lang="ts">
import { computed } from 'vue';
import { useResource } from '../platform/useResource.ts';
import { useSession } from '../session/useSession.ts';

defineProps<{ current: 'people' | 'groups' | 'attributes' | 'programs' | 'requests' | 'open' | 'log' }>();
const { person } = useSession();
const requests = useResource<{ requests: { state: string }[] }>('/api/v1/access-requests');
const open = computed(() => (requests.data.value?.requests ?? []).filter((one) => one.state === 'open').length);
const tabs = computed(() => [
  { name: 'people', to: '/access/users', title: 'Users' },
  { name: 'groups', to: '/access/groups', title: 'Groups' },
  { name: 'attributes', to: '/access/user-attributes', title: 'User attributes' },
  { name: 'programs', to: '/access/clients', title: 'Clients' },
  {
    name: 'requests',
    to: '/access/requests',
    title: open.value > 0 ? `Access requests (${open.value})` : 'Access requests',
  },
  { name: 'open', to: '/access/active', title: 'Active access' },
  ...(person.value?.isAdministrator ? [{ name: 'log', to: '/access/audit-log', title: 'Audit log' }] : []),
]);
</script>

<template>
  <h1>Access</h1>
  <nav aria-label="Access">
    <RouterLink
      v-for="tab in tabs"
      :key="tab.name"
      :to="tab.to"
      :aria-current="tab.name === current ? 'page' : undefined"
      >{{ tab.title }}</RouterLink
    >
  </nav>
</template>

<style scoped>
nav {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem;
  border-bottom: 1px solid var(--line);
  margin-bottom: 1rem;
}
a {
  padding: 0.4rem 0.9rem;
  text-decoration: none;
  color: var(--ink);
  border-bottom: 2px solid transparent;
}
a[aria-current] {
  border-color: var(--brass);
  font-weight: 600;
}
</style>
