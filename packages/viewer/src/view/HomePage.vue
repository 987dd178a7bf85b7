<script setup lang="ts">
import { computed, defineAsyncComponent, onMounted, ref, shallowRef } from 'vue';
import type { ShownTab } from '@underbell/core/channel';
import type { ListedBoard } from '@underbell/core/board';
import type { FoundThing } from '@underbell/core/folder';
import type { ProblemDocument } from '@underbell/core/refusal';
import type { ListedReport } from '@underbell/core/report';
import type { Host, TokenState } from '../host/host.ts';
import { handedOver, offerKey } from '../session/receivedToken.ts';
import { offline } from './viewApi.ts';

/** What somebody has at hand, in the side bar of a chat that says who they are. */
const ProblemBox = defineAsyncComponent(() => import('./ProblemBox.vue'));
const props = defineProps<{ host: Host }>();

interface Card {
  readonly key: string;
  readonly title: string;
  readonly about: string;
  readonly path: string;
}
const problem = shallowRef<ProblemDocument>();
const tabs = shallowRef<readonly Card[]>([]);
const mine = shallowRef<readonly Card[]>([]);
const recent = shallowRef<readonly Card[]>([]);
const found = shallowRef<readonly Card[]>();
const words = ref('');
const isReady = ref(false);
let key: string | undefined;

class Refused extends Error {
  constructor(readonly document: ProblemDocument) {
    super(document.detail);
  }
}
async function ask<T>(path: string): Promise<T> {
  const headers: Record<string, string> = key === undefined ? {} : { Authorization: `Bearer ${key}` };
  const answer = await fetch(path, { headers }).catch(() => undefined);
  const said = (await answer?.json().catch(() => undefined)) as unknown;
  if (answer?.ok) return said as T;
  const document = said as Partial<ProblemDocument> | undefined;
  throw new Refused(typeof document?.code === 'string' ? (document as ProblemDocument) : offline);
}

const ways = { report: 'r', board: 'b' } as const;
type Named = Pick<FoundThing, 'kind' | 'name' | 'title'>;
const cardOf = ({ kind, name, title }: Named, about = ''): Card[] =>
  kind === 'report' || kind === 'board'
    ? [{ key: `${kind} ${name}`, title, about, path: `/${ways[kind]}/${name}` }]
    : [];

async function load(): Promise<void> {
  try {
    const [held, reports, boards, hand] = await Promise.all([
      ask<{ tabs: ShownTab[] }>('/api/v1/channel-placements'),
      ask<{ reports: ListedReport[] }>('/api/v1/reports'),
      ask<{ boards: ListedBoard[] }>('/api/v1/boards'),
      ask<{ favourites: Named[]; recent: Named[] }>('/api/v1/favourites'),
    ]);
    tabs.value = held.tabs
      .filter((one) => one.state === 'placed' && one.isMember)
      .map((one) => ({
        key: one.placement,
        title: one.title,
        about: [one.channel.team, one.channel.name].filter(Boolean).join(' · '),
        path: `/v/${one.placement}`,
      }));
    mine.value = [
      ...reports.reports.flatMap((one) => cardOf({ kind: 'report', ...one }, one.description)),
      ...boards.boards.flatMap((one) => cardOf({ kind: 'board', ...one }, one.description)),
    ];
    recent.value = [...hand.favourites, ...hand.recent].flatMap((one) => cardOf(one));
    problem.value = undefined;
    isReady.value = true;
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    problem.value = error.document;
  }
}
async function find(): Promise<void> {
  if (words.value.trim() === '') return void (found.value = undefined);
  try {
    const answer = await ask<{ found: FoundThing[] }>(
      `/api/v1/search?${new URLSearchParams({ text: words.value.trim() })}`,
    );
    found.value = answer.found.flatMap((one) => cardOf(one));
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    problem.value = error.document;
  }
}
function onToken(state: TokenState): void {
  if ('failure' in state) {
    problem.value = {
      ...offline,
      code: 'SIGN_IN_FAILED',
      title: 'Sign-in from the chat failed',
      detail: state.failure,
      hint: '',
    };
    return;
  }
  key = 'token' in state ? state.token : undefined;
  void load();
}
onMounted(() => props.host.ask(onToken));
function open(path: string): void {
  const address = `${window.location.origin}${path}`;
  offerKey(window.open(key === undefined ? address : handedOver(address), '_blank'), () => key);
}
const lists = computed(() => [
  ...(found.value ? [{ title: 'Results', cards: found.value, empty: 'No results.' }] : []),
  { title: 'In your channels', cards: tabs.value, empty: 'No reports in your channels.' },
  { title: 'Favourites and recent', cards: recent.value, empty: '' },
  { title: 'Your reports', cards: mine.value, empty: 'No reports.' },
]);
</script>

<template>
  <main class="home">
    <ProblemBox
      v-if="problem"
      :problem="problem"
      :is-framed="host.isFramed"
      @retry="host.ask(onToken)"
      @signed-in="load"
    />
    <template v-else-if="isReady">
      <h1>Home</h1>
      <form role="search" @submit.prevent="find">
        <label for="words" class="unseen">Search reports and boards</label>
        <input id="words" v-model="words" type="search" placeholder="Search reports and boards" />
        <button type="submit">Search</button>
      </form>
      <section v-for="list in lists.filter((one) => one.cards.length > 0 || one.empty !== '')" :key="list.title">
        <h2>{{ list.title }}</h2>
        <ul v-if="list.cards.length > 0">
          <li v-for="one in list.cards" :key="one.key">
            <button type="button" class="link" @click="open(one.path)">{{ one.title }}</button>
            <span v-if="one.about" class="quiet">{{ one.about }}</span>
          </li>
        </ul>
        <p v-else class="quiet">{{ list.empty }}</p>
      </section>
    </template>
    <p v-else role="status" class="quiet">Loading …</p>
  </main>
</template>

<style scoped>
.home {
  padding: 1rem;
  max-width: 60rem;
  margin: 0 auto;
}
h1 {
  font-size: 1.35rem;
  margin: 0 0 0.6rem;
}
h2 {
  font-size: 1.05rem;
  margin: 1.2rem 0 0.4rem;
}
form {
  display: flex;
  gap: 0.5rem;
}
input {
  flex: 1;
  font: inherit;
  padding: 0.35rem 0.6rem;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--raised);
  color: var(--ink);
}
form button {
  font: inherit;
  padding: 0.35rem 1rem;
  border: 1px solid var(--sea);
  border-radius: 3px;
  background: var(--sea);
  color: var(--raised);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 0.45rem;
}
li {
  display: grid;
}
.link {
  justify-self: start;
  border: 0;
  padding: 0;
  background: none;
  font: inherit;
  color: var(--sea);
  text-align: left;
  text-decoration: underline;
  cursor: pointer;
}
.quiet {
  color: var(--quiet);
  margin: 0;
}
</style>
