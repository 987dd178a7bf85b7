<script setup lang="ts">
import type { SeenReport } from '@underbell/core/preview';
import { Button, Input } from 'ant-design-vue';
import { computed, reactive, shallowRef } from 'vue';
import { useRoute } from 'vue-router';
import { call } from '../platform/api.ts';
import ChoiceField from '../platform/ChoiceField.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount } from '../platform/format.ts';
import UserPreview from './UserPreview.vue';

const props = defineProps<{ name: string }>();
const route = useRoute();
const people = useResource<{ people: { email: string; name: string; groups: string[]; state: string }[] }>(
  '/api/v1/users',
);
const places = useResource<{ placements: { name: string; title: string }[] }>(
  () => `/api/v1/placements?report=${encodeURIComponent(props.name)}`,
);
const clients = useResource<{ clients: { id: string; title: string; reports: string[] }[] }>('/api/v1/clients');
const form = reactive({
  as: typeof route.query['as'] === 'string' ? `person:${route.query['as']}` : undefined,
  and: undefined as string | undefined,
  placement: undefined as string | undefined,
  where: '',
});
const viewers = computed(() => [
  {
    label: 'Users',
    options: (people.data.value?.people ?? [])
      .filter((one) => one.state === 'active' || one.state === 'guest')
      .map((one) => ({ value: `person:${one.email}`, label: `${one.name} · ${one.groups.join(', ') || 'no groups'}` })),
  },
  {
    label: 'Clients (token without user)',
    options: (clients.data.value?.clients ?? [])
      .filter((one) => one.reports.includes(props.name))
      .map((one) => ({ value: `client:${one.id}`, label: one.title })),
  },
]);
const placements = computed(() =>
  (places.data.value?.placements ?? []).map((one) => ({ value: one.name, label: one.title })),
);
const subject = (chosen: string) => {
  const at = chosen.indexOf(':');
  return { [chosen.slice(0, at)]: chosen.slice(at + 1), ...(form.placement ? { placement: form.placement } : {}) };
};
const answer = shallowRef<SeenReport>();
const { busy, problem, attempt } = useAttempt();
const look = () =>
  attempt('work', async () => {
    answer.value = undefined;
    answer.value = await call<SeenReport>('POST', `/api/v1/reports/${encodeURIComponent(props.name)}/preview-as`, {
      as: subject(form.as!),
      ...(form.and ? { and: subject(form.and) } : {}),
      ...(form.where.trim() === '' ? {} : { where: form.where }),
    });
  });
if (form.as) void look();
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/reports">Reports</RouterLink> › <RouterLink :to="`/reports/${name}`">{{ name }}</RouterLink>
  </p>
  <h1>Preview as another user</h1>
  <p class="quiet">Shows the filters that apply, their source, the remaining rows and the figures.</p>
  <form class="ask" @submit.prevent="look">
    <label
      >User or client <ChoiceField v-model:value="form.as" :options="viewers" placeholder="user or client"
    /></label>
    <label
      >Compare with <ChoiceField v-model:value="form.and" :options="viewers" placeholder="none" may-be-empty
    /></label>
    <label
      >Placement <ChoiceField v-model:value="form.placement" :options="placements" placeholder="none" may-be-empty
    /></label>
    <label>Reader filter <Input v-model:value="form.where" placeholder="CQL2" /></label>
    <Button type="primary" html-type="submit" :disabled="form.as === undefined" :loading="busy !== ''">Preview</Button>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
  <template v-if="answer">
    <section v-for="one in answer.difference ?? []" :key="one.dataset" class="difference" aria-label="Difference">
      <p v-if="one.both !== undefined">
        <code>{{ one.dataset }}</code>: both <b>{{ showCount(one.both) }}</b> rows; only {{ answer.as.name }}
        <b>{{ showCount(one.onlyFirst ?? 0) }}</b>, only {{ answer.and?.as.name }}
        <b>{{ showCount(one.onlySecond ?? 0) }}</b>
      </p>
    </section>
    <div class="sides" :class="{ two: answer.and }">
      <UserPreview :seen="answer" :own="answer.difference?.flatMap((one) => one.onlyFirstLimits)" />
      <UserPreview
        v-if="answer.and"
        :seen="answer.and"
        :own="answer.difference?.flatMap((one) => one.onlySecondLimits)"
      />
    </div>
  </template>
</template>

<style scoped>
.ask {
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr)) auto;
  gap: 1rem;
  align-items: end;
  margin-bottom: 1rem;
}
label {
  display: grid;
  gap: 0.25rem;
  font-weight: 600;
}
.difference {
  border-left: 3px solid var(--brass);
  padding-left: 0.9rem;
}
.sides {
  display: grid;
  gap: 1.2rem;
}
.two {
  grid-template-columns: repeat(2, minmax(0, 1fr));
}
@media (max-width: 900px) {
  .ask,
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
