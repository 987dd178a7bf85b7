<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, ref } from 'vue';
import type { BoardFrame } from '@underbell/core/board';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { useSession } from '../session/useSession.ts';

/** A figure of a host's own on a board; which hosts there may be is an administrator's to say. */
defineProps<{ frame?: BoardFrame }>();
const emit = defineEmits<{ add: [address: string, title: string]; change: [frame: BoardFrame]; remove: [] }>();
const path = '/api/v1/allowed-frame-origins';
const { data, reload } = useResource<{ origins: string[] }>(path);
const { person } = useSession();
const { busy, problem, attempt } = useAttempt<'allow'>();
const address = ref('');
const title = ref('');
const origins = computed(() => data.value?.origins ?? []);
const isAllowed = computed(() => URL.canParse(address.value) && origins.value.includes(new URL(address.value).origin));
const valueOf = (event: Event) => (event.target as HTMLInputElement).value;
const list = ref<string>();
const allow = () =>
  attempt('allow', async () => {
    await call('PUT', path, { origins: (list.value ?? '').split(/\s+/).filter(Boolean) });
    list.value = undefined;
    await reload();
  });
</script>

<template>
  <section class="form" aria-labelledby="frame-form">
    <h2 id="frame-form">{{ frame ? frame.title : 'Web page' }}</h2>
    <template v-if="frame">
      <label
        >Title <input :value="frame.title" @change="emit('change', { ...frame, title: valueOf($event).trim() })"
      /></label>
      <label
        >URL <input :value="frame.address" @change="emit('change', { ...frame, address: valueOf($event).trim() })"
      /></label>
      <p><Button size="small" danger @click="emit('remove')">Remove from board</Button></p>
    </template>
    <template v-else-if="origins.length > 0">
      <label>Title <input v-model="title" maxlength="200" /></label>
      <label>URL <input v-model="address" :placeholder="`${origins[0]}/…`" /></label>
      <p class="quiet">Allowed origins: {{ origins.join(', ') }}</p>
      <p>
        <Button size="small" :disabled="!isAllowed || title.trim() === ''" @click="emit('add', address, title.trim())"
          >Add to board</Button
        >
      </p>
    </template>
    <p v-else class="quiet">Ask an administrator to allow origins before you add web pages.</p>
    <template v-if="person?.isAdministrator">
      <form v-if="list !== undefined" @submit.prevent="allow">
        <label>Allowed origins <textarea v-model="list" rows="3" /></label>
        <ProblemNote v-if="problem" :problem="problem" />
        <p><Button size="small" html-type="submit" :loading="busy === 'allow'">Save</Button></p>
      </form>
      <p v-else><Button size="small" @click="list = origins.join('\n')">Edit allowed origins</Button></p>
    </template>
  </section>
</template>

<style scoped>
.form {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.2rem 0.9rem 0.6rem;
  margin: 0.8rem 0;
}
h2 {
  margin: 0.5rem 0;
  font-size: 1rem;
}
label {
  display: grid;
  gap: 0.15rem;
  margin-bottom: 0.5rem;
}
input,
textarea {
  font: inherit;
  min-height: 30px;
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
  min-width: 0;
}
</style>
