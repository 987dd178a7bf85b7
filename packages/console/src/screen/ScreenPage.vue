<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, onBeforeUnmount, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ScreenCommand, ShownScreen } from '@underbell/core/screen';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';
import ScreenForm from './ScreenForm.vue';
import ScreenPicture from './ScreenPicture.vue';
import ScreenFrame from './ScreenFrame.vue';
import StatusLabel from './StatusLabel.vue';
import { dataAge } from './screensTable.ts';

/** One screen: what it says, what it should show, and how it would look at any time. */
const props = defineProps<{ name: string }>();
const router = useRouter();
const path = computed(() => `/api/v1/screens/${encodeURIComponent(props.name)}`);
const { data, error, reload } = useResource<ShownScreen>(path);
const { busy, problem, attempt } = useAttempt<ScreenCommand | 'end' | 'remove'>();
const timer = setInterval(() => void reload(), 15_000);
onBeforeUnmount(() => clearInterval(timer));
const at = ref('');
const isChanging = ref(false);
const said = ref('');
const isEditor = computed(() => data.value !== undefined && data.value.right !== 'view');
const preview = computed(
  () =>
    `/screen/?preview=${encodeURIComponent(props.name)}${at.value ? `&at=${new Date(at.value).toISOString()}` : ''}`,
);
const tell = (order: ScreenCommand, words: string) =>
  attempt(order, async () => {
    await call('POST', `${path.value}/commands`, { order });
    said.value = words;
  });
const end = () =>
  attempt('end', async () => {
    data.value = await call<ShownScreen>('POST', `${path.value}/unpair`);
  });
const remove = () =>
  attempt('remove', async () => {
    await call('DELETE', path.value);
    await router.push('/screens');
  });
</script>

<template>
  <p class="crumbs"><RouterLink to="/screens">Screens</RouterLink></p>
  <ProblemNote v-if="error" :problem="error" />
  <template v-if="data">
    <h1>{{ data.title }}</h1>
    <p>
      <StatusLabel :state="data.state" /> <span class="quiet">{{ data.why }}</span>
    </p>
    <p v-if="isEditor" class="more">
      <template v-if="data.state !== 'closed'">
        <Button :loading="busy === 'show name'" @click="tell('show name', 'The screen shows its name for 30 seconds.')"
          >Identify</Button
        >
        <Button :loading="busy === 'reload'" @click="tell('reload', 'Command sent: reload.')">Reload</Button>
        <Button @click="isChanging = !isChanging">Edit screen</Button>
        <Rename path="/api/v1/screens" :name="name" />
        <ConfirmAction
          is-dangerous
          :title="`Unpair “${data.title}”? It goes blank at once and deletes its content. You can pair it again.`"
          ok-text="Unpair"
          @confirm="end"
          ><Button danger :loading="busy === 'end'">Unpair</Button></ConfirmAction
        >
      </template>
      <Button v-else danger :loading="busy === 'remove'" @click="remove">Delete</Button>
    </p>
    <p v-if="said" role="status" class="quiet">{{ said }}</p>
    <ProblemNote v-if="problem" :problem="problem" />
    <ScreenForm
      v-if="isChanging"
      :screen="data"
      @saved="((isChanging = false), reload())"
      @close="isChanging = false"
    />
    <div class="two">
      <section v-if="isEditor" aria-labelledby="looks">
        <h2 id="looks">Preview</h2>
        <label>At <input v-model="at" type="datetime-local" /> <span class="quiet">default: now</span></label>
        <ScreenFrame><iframe :key="preview" :src="preview" :title="`Preview of ${data.title}`" /></ScreenFrame>
      </section>
      <section>
        <template v-if="isEditor">
          <h2>Screenshot</h2>
          <ScreenPicture :screen="data" />
        </template>
        <h2>Status</h2>
        <dl>
          <dt>Group</dt>
          <dd>{{ data.group }}</dd>
          <template v-for="(value, key) in data.attributes" :key="key">
            <dt>{{ key }}</dt>
            <dd>{{ value }}</dd>
          </template>
          <dt>Last seen</dt>
          <dd>{{ data.beatAt ? showInstant(data.beatAt) : 'never' }}</dd>
          <dt>Content</dt>
          <dd>{{ data.shown?.slot ?? 'none' }}</dd>
          <dt>Data as of</dt>
          <dd>{{ dataAge(data) }}</dd>
          <dt>Clock</dt>
          <dd>{{ Math.round((data.shown?.clockErrorMs ?? 0) / 1000) }} s ahead</dd>
          <dt>Stored</dt>
          <dd>{{ Math.round((data.shown?.storedBytes ?? 0) / 1000) }} kB</dd>
          <dt>Playback</dt>
          <dd>{{ data.showsBy === 'live' ? 'live' : 'image mode' }}</dd>
          <dt>Device</dt>
          <dd>
            {{ data.shown?.browser ?? data.device.browser }}, {{ data.shown?.width ?? data.device.width }} ×
            {{ data.shown?.height ?? data.device.height }}
          </dd>
          <dt>Paired</dt>
          <dd>by {{ data.pairedBy }}, {{ showInstant(data.pairedAt) }}</dd>
        </dl>
        <h2>Playlists</h2>
        <p v-if="data.playlists.length === 0" class="quiet">None published.</p>
        <ul>
          <li v-for="one in data.playlists" :key="one.name">
            <RouterLink :to="`/playlists/${one.name}`">{{ one.name }}</RouterLink>
            version {{ one.revision }}<template v-if="one.revision < one.newest"> of {{ one.newest }}</template>
            <span class="quiet"> by {{ one.by }}</span>
          </li>
        </ul>
        <h2>History</h2>
        <ol class="history">
          <li v-for="(one, i) in data.history" :key="i">
            <span class="quiet">{{ showInstant(one.at) }}</span> {{ one.what }}
            <span class="quiet">{{ one.detail }}</span>
          </li>
        </ol>
      </section>
    </div>
  </template>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 24rem), 1fr));
  gap: 1.5rem;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0.2rem 1rem;
  margin: 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.history,
ul {
  padding: 0;
  list-style: none;
}
input {
  font: inherit;
  color: inherit;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.1rem 0.3rem;
}
</style>
