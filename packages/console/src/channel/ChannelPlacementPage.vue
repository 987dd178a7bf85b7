<script setup lang="ts">
import { Button, Checkbox } from 'ant-design-vue';
import { computed, reactive, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { ListedBoard } from '@underbell/core/board';
import { tabNameFor, announcementEvents, type ShownTab, type ShownTeam, type TabNews } from '@underbell/core/channel';
import { placementLabel, type PlacedThing, type ShownPlacement } from '@underbell/core/placement';
import type { Catalogue } from '../board/FigureCatalogue.vue';
import type { Placeable } from '../placement/placeable.ts';
import ItemPicker from '../placement/ItemPicker.vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** A tab: in which channel, what it shows, how it is called there, and what its channel is told. */
const props = defineProps<{ name?: string }>();
const [route, router] = [useRoute(), useRouter()];
const { busy, problem, attempt } = useAttempt<'save' | 'tell'>();
const path = computed(() =>
  props.name === undefined ? undefined : `/api/v1/channel-placements/${encodeURIComponent(props.name)}`,
);
const tab = useResource<ShownTab>(path);
const placement = useResource<ShownPlacement>(() =>
  props.name === undefined ? undefined : `/api/v1/placements/${encodeURIComponent(props.name)}`,
);
const teams = useResource<{ teams: ShownTeam[] }>('/api/v1/channels');
const catalogue = useResource<{ reports: Catalogue }>('/api/v1/available-figures');
const boards = useResource<{ boards: ListedBoard[] }>('/api/v1/boards');
const said = ref('');
const form = reactive({
  channel: `${String(route.query['chat'] ?? '')} ${String(route.query['channel'] ?? '')}`,
  thing: undefined as PlacedThing | undefined,
  title: '',
  tab: '',
  news: [] as TabNews[],
  isTold: false,
  words: '',
});
watch(tab.data, (found) => {
  if (!found) return;
  const { report, page, figure, board } = found;
  const thing = {
    ...(report ? { report } : {}),
    ...(page ? { page } : {}),
    ...(figure ? { figure } : {}),
    ...(board ? { board } : {}),
  };
  const { title, name, news, chat, channel } = found;
  Object.assign(form, { thing, title, tab: name, news: [...news], channel: `${chat} ${channel.id}` });
});
const channels = computed(() =>
  (teams.data.value?.teams ?? []).flatMap((team) =>
    team.channels
      .filter((one) => one.isOwner)
      .map((one) => ({
        key: `${one.chat} ${one.id}`,
        words: [team.name, one.name].filter(Boolean).join(' · '),
        why: one.why,
        members: one.members,
      })),
  ),
);
const chosen = computed(() => channels.value.find((one) => one.key === form.channel));
function choose({ thing, title }: Placeable): void {
  form.thing = thing;
  form.title = title;
  form.tab = tabNameFor(title);
}
const toName = (text: string) =>
  text
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 50);
const newsWords: Record<TabNews, string> = {
  edition: 'a new edition is published',
  data: 'data is refreshed, at most once an hour',
  run: 'copies were sent',
};
const save = () =>
  attempt('save', async () => {
    const [chat, ...rest] = form.channel.split(' ');
    const name = props.name ?? `${toName(form.tab)}-${Date.now().toString(36)}`;
    const kept = placement.data.value;
    const body = {
      chat,
      channel: rest.join(' '),
      tab: form.tab,
      news: form.news,
      ...(form.isTold ? { tell: form.words } : {}),
      // What else its placement says stays as it is.
      shows: {
        ...(kept ? { where: kept.where, parameters: kept.parameters, look: kept.look, swaps: kept.swaps } : {}),
        title: form.title,
        ...form.thing,
      },
    };
    await call('PUT', `/api/v1/channel-placements/${encodeURIComponent(name)}`, body);
    await router.push('/channels');
  });
const tell = () =>
  attempt('tell', async () => {
    await call('POST', `${path.value!}/announce`, { words: form.words });
    said.value = 'Announcement sent.';
    form.words = '';
  });
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/placements">Placements</RouterLink> <RouterLink to="/channels">Channels</RouterLink>
  </p>
  <h1>{{ name === undefined ? 'Create channel placement' : `Edit ${tab.data.value?.name ?? name}` }}</h1>
  <ProblemNote v-if="tab.error.value" :problem="tab.error.value" />
  <form v-else class="form" @submit.prevent="save">
    <div class="fields">
      <label class="wide"
        >Channel
        <select v-model="form.channel" required>
          <option v-if="!chosen" :value="form.channel" disabled>select a channel</option>
          <option v-for="one in channels" :key="one.key" :value="one.key" :disabled="one.why !== undefined">
            {{ one.words }}{{ one.why ? ` (${one.why})` : '' }}
          </option>
        </select>
      </label>
    </div>
    <p v-if="chosen" class="quiet">Visible to the channel members only ({{ chosen.members }} now). Row rules apply.</p>
    <h2>Content</h2>
    <ItemPicker
      v-if="catalogue.data.value && boards.data.value"
      :value="form.thing"
      :reports="catalogue.data.value.reports"
      :boards="boards.data.value.boards"
      @update:value="choose"
    />
    <p v-if="form.thing" role="status">Content: {{ placementLabel(form.thing) }}.</p>
    <div class="fields">
      <label>Title <input v-model="form.title" required maxlength="200" /></label>
      <label>Name in the channel <input v-model="form.tab" required maxlength="60" /></label>
    </div>
    <h2>Announcements</h2>
    <p v-for="one in announcementEvents" :key="one" class="tick">
      <Checkbox
        :checked="form.news.includes(one)"
        @update:checked="
          (is: boolean) => (form.news = is ? [...form.news, one] : form.news.filter((other) => other !== one))
        "
        >Automatically when {{ newsWords[one] }}</Checkbox
      >
    </p>
    <Checkbox v-if="name === undefined" v-model:checked="form.isTold">Send announcement</Checkbox>
    <label v-if="form.isTold || name !== undefined" class="words"
      >Message <textarea v-model="form.words" rows="2" maxlength="2000" />
    </label>
    <ProblemNote v-if="problem" :problem="problem" />
    <p v-if="said" role="status">{{ said }}</p>
    <p class="more">
      <Button
        type="primary"
        html-type="submit"
        :loading="busy === 'save'"
        :disabled="form.thing === undefined || !chosen"
        >{{ name === undefined ? 'Create' : 'Save' }}</Button
      >
      <Button v-if="name !== undefined" :loading="busy === 'tell'" @click="tell">Send announcement</Button>
    </p>
  </form>
</template>

<style scoped>
.fields {
  margin-top: 0.7rem;
}
h2 {
  font-size: 1.1rem;
  margin: 1rem 0 0.3rem;
}
.tick {
  margin: 0 0 0.3rem;
}
.words {
  display: grid;
  gap: 0.2rem;
  margin-top: 0.5rem;
  max-width: 40rem;
}
textarea {
  font: inherit;
  padding: 0.3rem 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
.more {
  display: flex;
  gap: 0.5rem;
}
</style>
