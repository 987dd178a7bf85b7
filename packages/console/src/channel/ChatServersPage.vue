<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import type { ComparedMembers, ShownChat } from '@underbell/core/channel';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant } from '../platform/format.ts';

/** Team chats that this service is part of, for those who administer it. */
const { data, error, reload } = useResource<{ chats: ShownChat[] }>('/api/v1/chat-servers');
const { busy, problem, attempt } = useAttempt();
const said = ref('');
/** Shown once: its server's operator installs it. */
const registration = ref('');
const empty = { name: '', title: '', homeserver: '', serverName: '', addressDomain: '', guestServers: '', origins: '' };
const form = reactive({ ...empty });
const changed = ref<string>();
const pathOf = (name: string) => `/api/v1/chat-servers/${encodeURIComponent(name)}`;
function change({ name, title, serverName, setup }: ShownChat): void {
  if (!setup) return;
  changed.value = name;
  Object.assign(form, {
    ...{ name, title, serverName, homeserver: setup.homeserver },
    addressDomain: setup.addressDomain ?? '',
    guestServers: Object.entries(setup.guestServers)
      .map((pair) => pair.join(' '))
      .join('\n'),
    origins: setup.origins.join('\n'),
  });
}
const save = () =>
  attempt('work', async () => {
    const { name, title, homeserver, serverName, addressDomain } = form;
    const body = {
      ...{ title, homeserver, serverName },
      addressDomain: addressDomain === '' ? null : addressDomain,
      guestServers: Object.fromEntries(
        form.guestServers
          .split('\n')
          .map((line) => line.trim().split(/\s+/))
          .filter((one) => one.length === 2),
      ),
      origins: form.origins.split(/\s+/).filter(Boolean),
    };
    if (changed.value !== undefined) await call('PUT', pathOf(name), body);
    else
      registration.value = (
        await call<{ registration: string }>('POST', '/api/v1/chat-servers', { name, ...body })
      ).registration;
    changed.value = undefined;
    Object.assign(form, empty);
    await reload();
  });
const renew = (name: string) =>
  attempt('work', async () => {
    registration.value = (await call<{ registration: string }>('POST', `${pathOf(name)}/rotate-keys`)).registration;
  });
const compare = (name: string) =>
  attempt('work', async () => {
    const found = await call<ComparedMembers>('POST', `${pathOf(name)}/sync-members`);
    said.value = `${name}: ${showCount(found.members)} members in ${showCount(found.rooms)} spaces and channels; ${showCount(found.joined)} added, ${showCount(found.left)} removed.`;
    await reload();
  });
const end = (name: string) =>
  attempt('work', async () => {
    await call('DELETE', pathOf(name));
    await reload();
  });
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/placements">Placements</RouterLink> <RouterLink to="/channels">Channels</RouterLink>
  </p>
  <h1>Chat servers</h1>
  <p class="quiet">
    Matrix chat servers. The server decides who is in which channel. Connect only a server whose accounts belong to your
    own users. Chat users can only read.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="said" role="status">{{ said }}</p>
  <section v-if="registration" role="status" class="once">
    <p>
      The operator of the chat server installs this file (<code>underbell-registration.yaml</code>). The keys are shown
      only once.
    </p>
    <pre tabindex="0">{{ registration }}</pre>
    <Button size="small" @click="registration = ''">I have saved it</Button>
  </section>
  <ul class="chats">
    <li v-for="one in data?.chats ?? []" :key="one.name">
      <p>
        <b>{{ one.title }}</b> <span class="quiet">{{ one.serverName }}</span>
      </p>
      <p class="quiet">
        {{ showCount(one.teams) }} spaces, {{ showCount(one.channels) }} channels, {{ showCount(one.tabs) }} placements.
        <template v-if="one.heardAt">Last event {{ showInstant(one.heardAt) }}.</template>
        <template v-if="one.comparedAt"> Members synced {{ showInstant(one.comparedAt) }}.</template>
      </p>
      <p v-if="one.problem" class="bad">
        Since {{ showInstant(one.problem.since) }}: {{ one.problem.message }} {{ one.problem.code }}
      </p>
      <p class="acts">
        <Button size="small" @click="compare(one.name)">Sync members</Button>
        <Button size="small" @click="change(one)">Edit</Button>
        <ConfirmAction
          title="Rotate the keys? The previous keys stop working at once."
          ok-text="Rotate keys"
          @confirm="renew(one.name)"
          ><Button size="small">Rotate keys</Button></ConfirmAction
        >
        <ConfirmAction
          is-dangerous
          :title="`Disconnect this chat server? Its ${one.tabs} channel placements stop working.`"
          ok-text="Disconnect"
          @confirm="end(one.name)"
          ><Button size="small" danger>Disconnect</Button></ConfirmAction
        >
      </p>
    </li>
  </ul>
  <p v-if="data?.chats.length === 0" class="quiet">No chat servers.</p>
  <h2>{{ changed === undefined ? 'Connect a chat server' : `Edit ${changed}` }}</h2>
  <form class="form" @submit.prevent="save">
    <div class="fields">
      <label
        >Name
        <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60" :disabled="changed !== undefined"
      /></label>
      <label>Title <input v-model="form.title" required maxlength="200" /></label>
      <label class="wide"
        >Homeserver URL <input v-model="form.homeserver" type="url" required placeholder="https://matrix.example"
      /></label>
      <label>Server name <input v-model="form.serverName" required placeholder="chat.example" /></label>
      <label>Email domain of users <input v-model="form.addressDomain" placeholder="example.com (optional)" /></label>
      <label class="wide"
        >Origins of the chat client
        <textarea v-model="form.origins" rows="2" placeholder="https://chat.example" />
      </label>
      <label class="wide"
        >Guest servers, one per line: name and URL
        <textarea v-model="form.guestServers" rows="2" placeholder="trust.example https://matrix.trust.example" />
      </label>
    </div>
    <p class="more">
      <Button type="primary" html-type="submit" :loading="busy === 'work'">{{
        changed === undefined ? 'Connect' : 'Save'
      }}</Button>
    </p>
  </form>
</template>

<style scoped>
.chats {
  list-style: none;
  padding: 0;
}
.chats li {
  border-left: 3px solid var(--line);
  padding-left: 0.8rem;
  margin-bottom: 0.8rem;
}
.chats p {
  margin: 0 0 0.3rem;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
.bad {
  color: var(--signal);
}
.once {
  border-left: 3px solid var(--brass);
  padding-left: 0.8rem;
}
pre {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.5rem 0.8rem;
  overflow-x: auto;
}
h2 {
  font-size: 1.1rem;
  margin: 1rem 0 0.3rem;
}
</style>
