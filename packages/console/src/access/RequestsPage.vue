<script setup lang="ts">
import { Button, Radio, RadioGroup, Textarea } from 'ant-design-vue';
import { computed, reactive } from 'vue';
import type { ShownRequest } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';
import AccessTabs from './AccessTabs.vue';

const { data, error, reload } = useResource<{ requests: ShownRequest[] }>('/api/v1/access-requests');
const open = computed(() => (data.value?.requests ?? []).filter((one) => one.state === 'open'));
const answered = computed(() => (data.value?.requests ?? []).filter((one) => one.state !== 'open'));
const levels = reactive<Record<number, string>>({});
const words = reactive<Record<number, string>>({});
const { busy, problem, attempt } = useAttempt<string>();
const answer = (request: ShownRequest, isGranted: boolean) =>
  attempt(`${request.id} ${isGranted}`, async () => {
    const level = isGranted ? { level: levels[request.id] ?? 'view' } : {};
    await call('POST', `/api/v1/access-requests/${request.id}/decision`, { ...level, words: words[request.id] ?? '' });
    await reload();
  });
</script>

<template>
  <AccessTabs current="requests" />
  <ProblemNote v-if="error" :problem="error" />
  <ProblemNote v-if="problem" :problem="problem" />
  <p v-if="data && open.length === 0" class="quiet">No pending requests.</p>
  <article v-for="request in open" :key="request.id" :aria-label="`Request of ${request.person.name}`">
    <h2>
      {{ request.person.name }} <small>{{ request.person.email }}</small> requests access to
      <RouterLink :to="`/${request.thingKind}s/${request.thingName}`">{{ request.thingName }}</RouterLink>
    </h2>
    <p class="quiet">
      requested {{ showInstant(request.askedAt)
      }}<template v-if="request.placementName"
        >, in <code>{{ request.placementName }}</code></template
      >
    </p>
    <blockquote v-if="request.words">{{ request.words }}</blockquote>
    <div class="answer">
      <div>
        <b :id="`level-${request.id}`">Permission</b>
        <RadioGroup
          :value="levels[request.id] ?? 'view'"
          :aria-labelledby="`level-${request.id}`"
          @update:value="(level: string) => (levels[request.id] = level)"
        >
          <Radio value="view">view</Radio><Radio value="export">view and export</Radio>
        </RadioGroup>
      </div>
      <Textarea
        :value="words[request.id] ?? ''"
        :rows="2"
        placeholder="Message (optional)"
        aria-label="Message"
        @update:value="(text: string) => (words[request.id] = text)"
      />
      <p class="acts">
        <Button type="primary" :loading="busy === `${request.id} true`" @click="answer(request, true)">Approve</Button>
        <Button :loading="busy === `${request.id} false`" @click="answer(request, false)">Deny</Button>
        <RouterLink
          v-if="request.thingKind === 'report'"
          :to="`/reports/${request.thingName}/preview-as?as=${request.person.email}`"
          >Preview as this user</RouterLink
        >
      </p>
    </div>
  </article>
  <template v-if="answered.length > 0">
    <h2>Decided</h2>
    <ul>
      <li v-for="request in answered" :key="request.id">
        {{ request.person.name }}, {{ request.thingName }}:
        <b>{{ request.state === 'granted' ? `approved (${request.level})` : 'denied' }}</b>
        <span class="quiet"> by {{ request.answeredBy }}, {{ showInstant(request.answeredAt) }}</span>
        <template v-if="request.answer"> “{{ request.answer }}”</template>
      </li>
    </ul>
  </template>
</template>

<style scoped>
article {
  background: var(--raised);
  border: 1px solid var(--line);
  border-left: 3px solid var(--brass);
  border-radius: 4px;
  padding: 1rem 1.2rem;
  margin-bottom: 0.9rem;
}
h2 {
  margin-top: 0;
}
h2 small {
  font-weight: 400;
  color: var(--quiet);
}
blockquote {
  margin: 0 0 0.8rem;
  padding-left: 0.8rem;
  border-left: 2px solid var(--line);
  white-space: pre-line;
}
.answer {
  display: grid;
  gap: 0.6rem;
  max-width: 42rem;
}
.answer > div {
  display: flex;
  gap: 1rem;
}
.acts {
  display: flex;
  align-items: center;
  gap: 0.8rem;
  margin: 0;
}
</style>
