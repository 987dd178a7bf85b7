<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { ref, shallowRef } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { deviceWords, type WaitingDevice } from '@underbell/core/screen';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { consoleTaste, showInstant } from '../platform/format.ts';
import ScreenFields from './ScreenFields.vue';
import { saidOf, type ScreenWords } from './screensTable.ts';

/** Takes in the device that shows a code: typed, or scanned with the address that it shows. */
const route = useRoute();
const router = useRouter();
const { busy, problem, attempt } = useAttempt<'look' | 'pair' | 'refuse'>();
const code = ref((route.query['code'] as string | undefined) ?? '');
const found = shallowRef<WaitingDevice>();
const isRefused = ref(false);
const name = ref('');
const words = ref<ScreenWords>({
  title: '',
  group: '',
  timeZone: consoleTaste().timeZone,
  language: navigator.language,
  attributes: {},
});
const path = () => `/api/v1/pairing-codes/${encodeURIComponent(code.value)}`;
const look = () =>
  attempt('look', async () => {
    isRefused.value = false;
    found.value = undefined;
    found.value = await call<WaitingDevice>('GET', path());
  });
const pair = () =>
  attempt('pair', async () => {
    await call('POST', path(), { name: name.value, ...saidOf(words.value) });
    await router.push(`/screens/${name.value}`);
  });
const refuse = () =>
  attempt('refuse', async () => {
    await call('DELETE', path());
    found.value = undefined;
    isRefused.value = true;
  });
if (code.value !== '') void look();
</script>

<template>
  <p class="crumbs"><RouterLink to="/screens">Screens</RouterLink></p>
  <h1>Pair a screen</h1>
  <form class="code" @submit.prevent="look">
    <label>Pairing code <input v-model="code" required maxlength="20" autocomplete="off" spellcheck="false" /></label>
    <Button html-type="submit" :type="found ? 'default' : 'primary'" :loading="busy === 'look'">Find screen</Button>
  </form>
  <p v-if="isRefused" role="status">Rejected.</p>
  <form v-if="found" class="framed" @submit.prevent="pair">
    <p>
      <b>{{ deviceWords(found.device) }}</b>, from {{ found.device.address }}, at {{ showInstant(found.askedAt) }}.
      <span class="quiet">Pair it only if you are standing in front of it.</span>
    </p>
    <div class="fields">
      <ScreenFields v-model="words">
        <label>Name (used in URLs) <input v-model="name" required pattern="[a-z][a-z0-9\-]*" maxlength="60" /></label>
      </ScreenFields>
    </div>
    <p class="more">
      <Button type="primary" html-type="submit" :loading="busy === 'pair'">Pair screen</Button>
      <Button danger :loading="busy === 'refuse'" @click="refuse">Reject</Button>
    </p>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
</template>

<style scoped>
.code {
  display: flex;
  gap: 0.6rem;
  align-items: end;
  flex-wrap: wrap;
  margin-bottom: 1rem;
}
.code label {
  display: flex;
  flex-direction: column;
}
.code input {
  font: inherit;
  font-size: 1.4rem;
  letter-spacing: 0.08em;
  text-transform: uppercase;
  width: 12rem;
  max-width: 100%;
  padding: 0.1rem 0.5rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
}
</style>
