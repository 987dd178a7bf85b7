<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { screenStateWords, type Fleet, type ScreenState, type ShownGroup } from '@underbell/core/screen';
import LinkButton from '../platform/LinkButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';
import { useSession } from '../session/useSession.ts';
import GroupPanel from './GroupPanel.vue';
import AttributesPanel from './AttributesPanel.vue';
import ScreenPicture from './ScreenPicture.vue';
import StatusLabel from './StatusLabel.vue';
import { dataAge } from './screensTable.ts';

/** Every display screen: first those with which something is wrong. */
const againMs = 15_000;
const { person } = useSession();
const route = useRoute();
const router = useRouter();
const group = computed(() => (route.query['group'] as string | undefined) ?? '');
const state = computed(() => (route.query['state'] as ScreenState | undefined) ?? '');
const find = computed(() => (route.query['find'] as string | undefined) ?? '');
const isGrid = ref(false);
const isAdding = ref(false);
const rowsAtOnce = 200;
const picturesAtOnce = 24;
const mostAtOnce = 1_000;
const more = ref(0);
const count = computed(() => Math.min((more.value + 1) * (isGrid.value ? picturesAtOnce : rowsAtOnce), mostAtOnce));
const groups = useResource<{ groups: ShownGroup[] }>('/api/v1/screen-groups');
const asked = computed(() => {
  const words = Object.entries({ group: group.value, state: state.value, find: find.value }).filter(([, word]) => word);
  return `/api/v1/screens?${new URLSearchParams([...words, ['count', String(count.value)]]).toString()}`;
});
const all = useResource<Fleet>(asked);
/** What was there stays until the next is. */
const last = shallowRef<Fleet>();
watch(all.data, (now) => (last.value = now ?? last.value));
const timer = setInterval(() => void all.reload(), againMs);
onBeforeUnmount(() => clearInterval(timer));

const shown = computed(() => last.value?.screens ?? []);
const leftOut = computed(() => (last.value?.total ?? 0) - shown.value.length);
const counts = computed(() => screenStateWords.map((one) => ({ state: one, count: last.value?.counts[one] ?? 0 })));
const titles = computed(() => new Map(groups.data.value?.groups.map((one) => [one.name, one.title])));
const chosen = computed(() => groups.data.value?.groups.find((one) => one.name === group.value));
function narrow(words: { group?: string; state?: string; find?: string }): void {
  more.value = 0;
  const all = { group: group.value, state: state.value, find: find.value, ...words };
  void router.replace({ query: Object.fromEntries(Object.entries(all).filter(([, value]) => value)) });
}
async function reload(): Promise<void> {
  await Promise.all([groups.reload(), all.reload()]);
}
</script>

<template>
  <div class="head">
    <h1>Screens</h1>
    <p class="more">
      <LinkButton to="/pair" type="primary">Pair a screen</LinkButton>
      <LinkButton to="/playlists">Playlists</LinkButton>
      <LinkButton to="/media">Images and videos</LinkButton>
    </p>
  </div>
  <p class="quiet">
    All screens and their status. To add one, open <code>/screen/</code> on the device and enter its pairing code.
  </p>
  <ProblemNote v-if="all.error.value" :problem="all.error.value" />
  <div class="filters">
    <label
      >Group
      <select :value="group" @change="narrow({ group: ($event.target as HTMLSelectElement).value })">
        <option value="">All groups</option>
        <option v-for="one in groups.data.value?.groups ?? []" :key="one.name" :value="one.name">
          {{ one.title }} ({{ one.screens }})
        </option>
      </select></label
    >
    <label
      >Search
      <input
        class="plain"
        type="search"
        :value="find"
        placeholder="name or attribute"
        @change="narrow({ find: ($event.target as HTMLInputElement).value.trim() })"
    /></label>
    <div class="states" role="group" aria-label="Status">
      <button
        v-for="one in counts"
        :key="one.state"
        type="button"
        class="state"
        :aria-pressed="state === one.state"
        @click="narrow({ state: state === one.state ? '' : one.state })"
      >
        {{ showCount(one.count) }} <StatusLabel :state="one.state" />
      </button>
    </div>
    <Button size="small" :aria-pressed="isGrid" @click="((isGrid = !isGrid), (more = 0))">{{
      isGrid ? 'List' : 'Screenshots'
    }}</Button>
    <Button size="small" @click="isAdding = true">Add group</Button>
  </div>
  <AttributesPanel v-if="person?.isAdministrator" />
  <GroupPanel v-if="isAdding" @saved="(reload(), (isAdding = false))" @close="isAdding = false" />
  <GroupPanel v-if="chosen" :key="chosen.name" :group="chosen" @saved="reload" />
  <p v-if="last && shown.length === 0" class="quiet">
    {{ group || state || find ? 'No matching screens.' : 'No screens.' }}
  </p>
  <ul v-else-if="isGrid" class="grid">
    <li v-for="one in shown" :key="one.name">
      <RouterLink :to="`/screens/${one.name}`">
        <ScreenPicture :screen="one" />
        <b>{{ one.title }}</b></RouterLink
      >
      <StatusLabel class="word" :state="one.state" />
    </li>
  </ul>
  <div v-else class="scroll" tabindex="0" role="region" aria-label="Screens">
    <table>
      <thead>
        <tr>
          <th scope="col">Screen</th>
          <th scope="col">Status</th>
          <th scope="col">Content</th>
          <th scope="col">Data as of</th>
          <th scope="col">Last seen</th>
          <th scope="col">Group</th>
          <th scope="col">Errors today</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in shown" :key="one.name">
          <td>
            <RouterLink :to="`/screens/${one.name}`">{{ one.title }}</RouterLink>
            <span class="quiet"> {{ Object.values(one.attributes).join(' · ') }}</span>
          </td>
          <td>
            <StatusLabel class="word" :state="one.state" />
            <span v-if="one.state !== 'fine'" class="quiet">{{ one.why }}</span>
          </td>
          <td>
            {{ one.shown?.slot ?? '–'
            }}<span v-if="one.shown?.playlist" class="quiet"> {{ one.shown.playlist }} {{ one.shown.revision }}</span>
          </td>
          <td>{{ dataAge(one) }}</td>
          <td>{{ one.beatAt ? showInstant(one.beatAt) : 'never' }}</td>
          <td>{{ titles.get(one.group) ?? one.group }}</td>
          <td class="number">{{ one.shown?.errors ?? 0 }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="leftOut > 0" class="quiet">
    {{ showCount(leftOut) }} more.
    <Button v-if="count < mostAtOnce" size="small" @click="more++">Show more</Button>
    <template v-else>Select a group or status, or search.</template>
  </p>
</template>

<style scoped>
.head,
.filters,
.states {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.4rem 0.8rem;
}
.head {
  justify-content: space-between;
}
.filters {
  margin: 0.6rem 0;
}
.filters label {
  display: flex;
  gap: 0.4rem;
  align-items: center;
}
select,
.state {
  font: inherit;
  color: inherit;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.15rem 0.5rem;
  min-height: 28px;
  max-width: 100%;
}
.state[aria-pressed='true'] {
  border-color: var(--brass);
  box-shadow: inset 0 -2px var(--brass);
}
.scroll {
  overflow-x: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th,
td {
  text-align: left;
  padding: 0.3rem 0.8rem 0.3rem 0;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
}
th {
  font-weight: 600;
  color: var(--quiet);
}
td .quiet {
  margin-left: 0.4rem;
}
.word {
  margin-right: 0.4rem;
}
.grid .word {
  margin-left: 0.4rem;
}
.grid {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(15rem, 1fr));
  gap: 1rem;
}
</style>
