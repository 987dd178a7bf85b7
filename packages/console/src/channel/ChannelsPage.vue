<script setup lang="ts">
import { Button, Table } from 'ant-design-vue';
import { computed, ref } from 'vue';
import type { ShownTab, ShownTeam } from '@underbell/core/channel';
import { placementLabel } from '@underbell/core/placement';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import LinkButton from '../platform/LinkButton.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';
import { useSession } from '../session/useSession.ts';

/** Team channels that one is in, and the tabs in them. */
const { person } = useSession();
const teams = useResource<{ teams: ShownTeam[] }>('/api/v1/channels');
const tabs = useResource<{ tabs: ShownTab[] }>('/api/v1/channel-placements');
const { busy, problem, attempt } = useAttempt();
const said = ref('');
const reload = () => Promise.all([teams.reload(), tabs.reload()]);
const remove = (tab: ShownTab) =>
  attempt(tab.placement as 'work', async () => {
    await call('DELETE', `/api/v1/channel-placements/${encodeURIComponent(tab.placement)}`);
    said.value = `“${tab.name}” removed from ${tab.channel.name}.`;
    await reload();
  });
const placeIn = (chat: string, channel: string) => ({ path: '/channels/new', query: { chat, channel } });
const channelOf = ({ channel }: ShownTab) => [channel.team, channel.name].filter(Boolean).join(' · ');
const states: Record<ShownTab['state'], string> = {
  placed: 'shown',
  'on its way': 'pending',
  'taken away': 'removed in the chat',
  closed: 'inactive',
};
const columns = [
  { title: 'Tab', key: 'tab' },
  { title: 'Channel', key: 'channel', width: 220 },
  { title: 'Shows', key: 'shows', width: 220 },
  { title: 'State', key: 'state', width: 240 },
  { title: '', key: 'act', width: 170 },
];
const count = computed(() => (teams.data.value?.teams ?? []).flatMap((one) => one.channels).length);
</script>

<template>
  <p class="crumbs"><RouterLink to="/placements">Placements</RouterLink></p>
  <h1>Channels</h1>
  <p class="quiet">
    A channel placement shows a report, page, figure or board to the members of its channel only. Row rules apply.
    <RouterLink v-if="person?.isAdministrator" to="/chat-servers">Chat servers</RouterLink>
  </p>
  <ProblemNote v-if="teams.error.value" :problem="teams.error.value" />
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="said" role="status">{{ said }}</p>
  <p v-if="teams.data.value && count === 0" class="quiet">
    You share no channel with this service. An owner of a space invites it.
  </p>
  <section v-for="team in teams.data.value?.teams ?? []" :key="`${team.chat} ${team.id}`" class="team">
    <h2>{{ team.name || 'Without a space' }}</h2>
    <ul>
      <li v-for="one in team.channels" :key="one.id">
        <b>{{ one.name }}</b> <span class="quiet">{{ one.topic }}</span>
        <span class="quiet">{{ showCount(one.members) }} members</span>
        <LinkButton v-if="!one.why" :to="placeIn(one.chat, one.id)" size="small">Create placement</LinkButton>
        <span v-else class="quiet">{{ one.why }}</span>
      </li>
    </ul>
  </section>
  <h2>Channel placements</h2>
  <ProblemNote v-if="tabs.error.value" :problem="tabs.error.value" />
  <Table
    v-else
    :columns="columns"
    :data-source="tabs.data.value?.tabs ?? []"
    row-key="placement"
    size="small"
    :loading="tabs.isLoading.value"
    :pagination="false"
    :scroll="{ x: 900 }"
  >
    <template #emptyText><p class="quiet">No channel placements.</p></template>
    <template #bodyCell="{ column, record }">
      <template v-if="column.key === 'tab'">
        <RouterLink v-if="record.mayChange" :to="`/channels/${record.placement}`">{{ record.name }}</RouterLink>
        <a v-else :href="record.link">{{ record.name }}</a>
        <span class="quiet under">by {{ record.by ?? 'a deleted user' }}, {{ showInstant(record.madeAt) }}</span>
      </template>
      <template v-else-if="column.key === 'channel'">
        {{ channelOf(record as ShownTab) }}<span class="quiet under">{{ showCount(record.members) }} members</span>
      </template>
      <template v-else-if="column.key === 'shows'">{{ placementLabel(record as ShownTab) }}</template>
      <template v-else-if="column.key === 'state'">
        <span :class="{ bad: record.state === 'closed' || record.state === 'taken away' }">{{
          states[(record as ShownTab).state]
        }}</span>
        <span v-if="record.problem" class="bad under">{{ record.problem.message }}</span>
        <span v-if="record.toldAt" class="quiet under">announced {{ showInstant(record.toldAt) }}</span>
      </template>
      <span v-else-if="column.key === 'act' && record.mayChange" class="acts">
        <LinkButton :to="`/channels/${record.placement}`" size="small" :aria-label="`Edit ${record.name}`"
          >Edit</LinkButton
        >
        <ConfirmAction
          is-dangerous
          :title="`Remove “${record.name}”? ${showCount(record.members)} members no longer see it there.`"
          ok-text="Remove"
          @confirm="remove(record as ShownTab)"
          ><Button size="small" danger :loading="busy === record.placement" :aria-label="`Remove ${record.name}`"
            >Remove</Button
          ></ConfirmAction
        >
      </span>
    </template>
  </Table>
</template>

<style scoped>
.team ul {
  list-style: none;
  padding: 0;
  margin: 0 0 0.8rem;
}
.team li {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 0.8rem;
  align-items: baseline;
  padding: 0.35rem 0;
  border-bottom: 1px solid var(--line);
}
h2 {
  font-size: 1.1rem;
  margin: 1rem 0 0.3rem;
}
.under {
  display: block;
}
.bad {
  color: var(--signal);
}
.acts {
  display: flex;
  gap: 0.4rem;
}
</style>
