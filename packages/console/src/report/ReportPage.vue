<script setup lang="ts">
import { Spin } from 'ant-design-vue';
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import type { ShownReport } from '@underbell/core/report';
import MoveToTrashButton from '../folder/MoveToTrashButton.vue';
import FavouriteButton from '../folder/FavouriteButton.vue';
import PermissionsPanel from '../access/PermissionsPanel.vue';
import { placementLabel, type ShownPlacement } from '@underbell/core/placement';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { useSession } from '../session/useSession.ts';
import EditionsPanel from './EditionsPanel.vue';

const props = defineProps<{ name: string }>();
const router = useRouter();
const { isAuthor } = useSession();
const {
  data: report,
  error,
  reload,
} = useResource<ShownReport>(() => `/api/v1/reports/${encodeURIComponent(props.name)}`);
const places = useResource<{ placements: ShownPlacement[] }>(
  () => `/api/v1/placements?report=${encodeURIComponent(props.name)}`,
);
const placements = computed(() => places.data.value?.placements ?? []);
</script>

<template>
  <p class="crumbs"><RouterLink to="/reports">Reports</RouterLink></p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!report" />
  <template v-else>
    <h1>{{ report.title }}</h1>
    <p class="quiet">{{ report.description }}</p>
    <p>
      <code>{{ report.name }}</code> ·
      {{ report.definition.pages.map((page) => `${page.title} (${page.figures.length} figures)`).join(', ') }}
      <template v-if="report.definition.parameters">
        · parameters {{ report.definition.parameters.map((one) => one.name).join(', ') }}</template
      >
    </p>
    <p class="jumps">
      <a :href="`/r/${name}`">Open</a>
      <RouterLink v-if="isAuthor" :to="`/reports/${name}/edit`">Edit</RouterLink>
      <RouterLink :to="`/reports/${name}/preview-as`">Preview as another user</RouterLink>
      <a href="#editions">Editions</a>
      <FavouriteButton kind="report" :name="name" />
    </p>
    <h2>Placements</h2>
    <p v-if="placements.length === 0" class="quiet">None.</p>
    <ul class="places">
      <li v-for="one in placements" :key="one.name">
        <RouterLink :to="`/placements/${one.name}`">{{ one.title }}</RouterLink>
        <span class="quiet">
          {{ one.kind }}, {{ placementLabel(one) }}<template v-if="one.suspendedAt">, suspended</template></span
        >
      </li>
    </ul>
    <p>
      <RouterLink :to="{ path: '/placements/new', query: { report: name } }">Create placement</RouterLink>
    </p>
    <PermissionsPanel kind="report" :name="name" />
    <EditionsPanel :name="name" :current="report.edition" :editions="report.editions" @changed="reload" />
    <MoveToTrashButton kind="report" :name="name" :title="report.title" @gone="router.push('/reports')" />
  </template>
</template>

<style scoped>
.places {
  padding-left: 1.2rem;
}
</style>
