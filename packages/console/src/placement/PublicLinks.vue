<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, reactive, ref } from 'vue';
import { publicLinkDays, type PublicLink, type PublicLinks } from '@underbell/core/placement';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant, showTimes } from '../platform/format.ts';

/** Links by which everybody sees a placement, beside the one for those who sign in. */
const props = defineProps<{ name: string }>();
const path = computed(() => `/api/v1/placements/${encodeURIComponent(props.name)}/public-links`);
const { data, error, reload } = useResource<PublicLinks>(path);
const { busy, problem, attempt } = useAttempt<'make' | 'change' | 'end'>();
const dayMs = 86_400_000;
const dayIn = (days: number) => new Date(Date.now() + days * dayMs).toISOString().slice(0, 10);
const form = reactive({ until: dayIn(14), note: '' });
const isSure = ref(false);
const now = new Date().toISOString();
const isOver = (one: PublicLink) => one.endedAt !== undefined || one.until <= now;
const make = () =>
  attempt('make', async () => {
    await call('POST', path.value, { until: `${form.until}T23:59:59Z`, note: form.note });
    form.note = '';
    isSure.value = false;
    await reload();
  });
/** The one that is being changed. */
const changed = reactive({ id: '', until: '', note: '' });
const begin = ({ id, until, note }: PublicLink) => Object.assign(changed, { id, until: until.slice(0, 10), note });
const change = () =>
  attempt('change', async () => {
    const { id, until, note } = changed;
    await call('PUT', `/api/v1/public-links/${id}`, { until: `${until}T23:59:59Z`, note });
    changed.id = '';
    await reload();
  });
const end = (id: string) =>
  attempt('end', async () => {
    await call('DELETE', `/api/v1/public-links/${id}`);
    await reload();
  });
const copied = ref('');
async function copy({ id, url }: PublicLink): Promise<void> {
  await navigator.clipboard.writeText(url);
  copied.value = id;
  window.setTimeout(() => (copied.value = ''), 2500);
}
</script>

<template>
  <h3>Public links</h3>
  <ProblemNote v-if="error" :problem="error" />
  <template v-else-if="data">
    <p v-if="data.refused" class="quiet">
      Public links are not available: {{ data.refused.message }}. {{ data.refused.hint }}.
    </p>
    <ul class="links">
      <li v-for="one in data.links" :key="one.id" :class="{ over: isOver(one) }">
        <p>
          <b>{{ one.note }}</b>
          <span class="quiet">
            created by {{ one.madeBy ?? 'a deleted user' }} {{ showInstant(one.madeAt) }};
            <template v-if="one.endedAt">revoked {{ showInstant(one.endedAt) }} by {{ one.endedBy }};</template>
            <template v-else>{{ isOver(one) ? 'expired' : 'expires' }} {{ showInstant(one.until) }};</template>
            {{ one.views === 0 ? 'no views' : `viewed ${showTimes(one.views)}`
            }}<template v-if="one.lastViewedAt">, last {{ showInstant(one.lastViewedAt) }}</template>
          </span>
        </p>
        <p v-if="one.closed" class="bad">Inactive: {{ one.closed }}.</p>
        <template v-if="!isOver(one)">
          <pre tabindex="0">{{ one.url }}</pre>
          <form v-if="changed.id === one.id" class="form" @submit.prevent="change">
            <div class="fields">
              <label class="wide">Reason <input v-model="changed.note" required maxlength="500" /></label>
              <label
                >Expires at the end of
                <input v-model="changed.until" type="date" required :min="dayIn(0)" :max="dayIn(publicLinkDays - 1)"
              /></label>
            </div>
            <p class="acts">
              <Button size="small" type="primary" html-type="submit" :loading="busy === 'change'">Save</Button>
              <Button size="small" @click="changed.id = ''">Cancel</Button>
            </p>
          </form>
          <p v-else class="acts">
            <Button size="small" @click="copy(one)">{{ copied === one.id ? 'Copied' : 'Copy' }}</Button>
            <Button size="small" @click="begin(one)">Edit</Button>
            <ConfirmAction
              is-dangerous
              title="Revoke this link? It stops working for everyone."
              ok-text="Revoke"
              @confirm="end(one.id)"
            >
              <Button size="small" danger :loading="busy === 'end'">Revoke</Button>
            </ConfirmAction>
          </p>
        </template>
      </li>
    </ul>
    <ProblemNote v-if="problem" :problem="problem" />
    <form v-if="!data.refused" class="form" @submit.prevent="make">
      <p class="warning" role="note">
        Anyone with a public link sees this data, now and later, without signing in, until it expires or is revoked.
        They can pass it on. The link above asks users to sign in and applies their permissions.
      </p>
      <div class="fields">
        <label class="wide">Reason <input v-model="form.note" required maxlength="500" /></label>
        <label
          >Expires at the end of
          <input v-model="form.until" type="date" required :min="dayIn(0)" :max="dayIn(publicLinkDays - 1)"
        /></label>
      </div>
      <label class="sure"><input v-model="isSure" type="checkbox" required /> This data may be public</label>
      <p class="more">
        <Button html-type="submit" danger :disabled="!isSure" :loading="busy === 'make'">Create public link</Button>
      </p>
    </form>
  </template>
</template>

<style scoped>
.links {
  list-style: none;
  padding: 0;
  margin: 0 0 0.8rem;
}
.links li {
  border-left: 3px solid var(--line);
  padding-left: 0.8rem;
  margin-bottom: 0.8rem;
}
.links p {
  margin: 0 0 0.3rem;
}
.over {
  color: var(--quiet);
}
.bad {
  color: var(--signal);
}
.acts {
  display: flex;
  gap: 0.5rem;
}
.warning {
  border-left: 3px solid var(--signal);
  padding-left: 0.8rem;
  max-width: 46rem;
}
.sure {
  display: flex;
  gap: 0.5rem;
  align-items: center;
  margin-top: 0.6rem;
}
pre {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.5rem 0.8rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  margin: 0 0 0.4rem;
}
</style>
