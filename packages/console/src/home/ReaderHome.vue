<script setup lang="ts">
import { computed, onMounted } from 'vue';
import type { OwnRequest } from '@underbell/core/access';
import type { ListedBoard } from '@underbell/core/board';
import type { OwnCopy } from '@underbell/core/burst/apiTypes';
import type { ShownFolder } from '@underbell/core/folder';
import type { ShownPlacement } from '@underbell/core/placement';
import type { ListedReport } from '@underbell/core/report';
import Thumbnail from '../view/Thumbnail.vue';
import SearchBox from '../folder/SearchBox.vue';
import { useFavourites } from '../folder/useFavourites.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';

/** What a reader has: reports, boards and places, what was looked at, what was sent, what was asked for. */
const { atHand, load } = useFavourites();
onMounted(load);
const reports = useResource<{ reports: ListedReport[] }>('/api/v1/reports');
const boards = useResource<{ boards: ListedBoard[] }>('/api/v1/boards');
const places = useResource<{ placements: ShownPlacement[] }>('/api/v1/placements');
const collections = useResource<{ folders: ShownFolder[] }>('/api/v1/folders');
const copies = useResource<{ copies: OwnCopy[] }>('/api/v1/my/deliveries');
const requests = useResource<{ requests: OwnRequest[] }>('/api/v1/access-requests/mine');
const error = computed(() => reports.error.value ?? boards.error.value ?? places.error.value ?? copies.error.value);
const things = computed(() => [
  ...(reports.data.value?.reports ?? []).map(({ name, title, description, publishedAt }) => ({
    key: `report ${name}`,
    to: `/r/${name}`,
    picture: `/api/v1/reports/${name}/thumbnail`,
    kind: 'Report',
    title,
    about: description,
    at: publishedAt,
  })),
  ...(boards.data.value?.boards ?? []).map(({ name, title, description, changedAt }) => ({
    key: `board ${name}`,
    to: `/b/${name}`,
    picture: `/api/v1/boards/${name}/thumbnail`,
    kind: 'Board',
    title,
    about: description,
    at: changedAt,
  })),
  ...(places.data.value?.placements ?? [])
    .filter((one) => one.suspendedAt === undefined)
    .map(({ name, title, kind }) => ({
      key: `place ${name}`,
      to: `/v/${name}`,
      picture: `/api/v1/placements/${name}/thumbnail`,
      kind: 'Placement',
      title,
      about: kind,
      at: undefined,
    })),
]);
const kept = computed(() => [...(atHand.value?.favourites ?? []), ...(atHand.value?.recent ?? [])]);
const lookAt = (kind: string, name: string) => `/${kind === 'board' ? 'b' : 'r'}/${name}`;
const open = computed(() => (requests.data.value?.requests ?? []).filter((one) => one.state === 'open'));
</script>

<template>
  <h1>Your reports</h1>
  <SearchBox />
  <ProblemNote v-if="error" :problem="error" />
  <ul class="cards">
    <li v-for="one in things" :key="one.key">
      <Thumbnail :path="one.picture" />
      <a :href="one.to">{{ one.title }}</a>
      <span class="quiet"
        >{{ one.kind }}<template v-if="one.about">: {{ one.about }}</template></span
      >
      <span v-if="one.at" class="quiet">requested {{ showInstant(one.at) }}</span>
    </li>
  </ul>
  <p v-if="things.length === 0 && reports.data.value" class="quiet">
    No reports yet. Open a link to a report to request access.
  </p>
  <div class="columns">
    <section v-if="kept.length > 0" aria-labelledby="kept">
      <h2 id="kept">Favourites and recent</h2>
      <ul>
        <li v-for="one in kept" :key="`${one.kind} ${one.name}`">
          <a :href="lookAt(one.kind, one.name)">{{ one.title }}</a> <span class="quiet">{{ one.kind }}</span>
        </li>
      </ul>
    </section>
    <section aria-labelledby="sent">
      <h2 id="sent">Deliveries</h2>
      <p v-if="(copies.data.value?.copies ?? []).length === 0" class="quiet">None.</p>
      <ul>
        <li v-for="(copy, i) in copies.data.value?.copies ?? []" :key="i">
          <b>{{ copy.title }}</b> <span class="quiet">{{ copy.period }}, {{ showInstant(copy.sentAt) }}</span>
          <template v-for="file in copy.files" :key="file.name">
            <a v-if="file.link" :href="file.link">{{ file.name }}</a>
            <span v-else class="quiet">{{ file.name }}</span>
          </template>
        </li>
      </ul>
    </section>
    <section v-if="(collections.data.value?.folders ?? []).length > 0" aria-labelledby="collections">
      <h2 id="collections">Folders</h2>
      <ul>
        <li v-for="one in collections.data.value?.folders ?? []" :key="one.name">
          <a :href="`/f/${one.name}`">{{ one.title }}</a>
        </li>
      </ul>
    </section>
    <section v-if="open.length > 0" aria-labelledby="asked">
      <h2 id="asked">Access requests</h2>
      <ul>
        <li v-for="one in open" :key="one.id">
          {{ one.thingName }} <span class="quiet">requested {{ showInstant(one.askedAt) }}</span>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 0.6rem;
}
.cards {
  grid-template-columns: repeat(auto-fill, minmax(min(17rem, 100%), 1fr));
  gap: 0.8rem;
  margin-top: 1rem;
}
.cards li {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.7rem 0.9rem;
  display: grid;
  gap: 0.2rem;
  align-content: start;
}
.cards a {
  font-weight: 600;
  font-size: 1.05rem;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(20rem, 100%), 1fr));
  gap: 0 2rem;
}
section li {
  display: grid;
}
</style>
