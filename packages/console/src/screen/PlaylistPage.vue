<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type {
  ListedScreen,
  PlaylistDefinition,
  PlaylistPlan,
  PlaylistTarget,
  ShownGroup,
  ShownPlaylist,
} from '@underbell/core/screen';
import PermissionsPanel from '../access/PermissionsPanel.vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';
import PublishPreview from './PublishPreview.vue';
import HoursField from './HoursField.vue';
import SlotForm from './SlotForm.vue';
import { useSlotChoices } from './options.ts';
import {
  fieldsOf,
  freeName,
  hoursFields,
  hoursOf,
  newFields,
  newPlaylist,
  rulesIn,
  slotOf,
  type HoursFields,
  type SlotFields,
} from './playlist.ts';

/** A playlist: its slots, whom it is published to, and who has which revision. */
const props = defineProps<{ name: string }>();
const router = useRouter();
const path = computed(() => `/api/v1/playlists/${encodeURIComponent(props.name)}`);
const { data, error, reload } = useResource<ShownPlaylist>(path);
const { data: groups } = useResource<{ groups: ShownGroup[] }>('/api/v1/screen-groups');
const { data: fleet } = useResource<{ screens: ListedScreen[] }>('/api/v1/screens');
const choices = useSlotChoices();
const { busy, problem, attempt } = useAttempt<'save' | 'plan' | 'publish' | 'back' | 'withdraw' | 'remove'>();
const isNew = computed(() => error.value?.code === 'NOT_FOUND');
const title = ref('');
const slots = ref<SlotFields[]>([]);
const hours = ref<HoursFields[]>([]);
const targets = ref<string[]>([]);
const singles = ref<string[]>([]);
const single = ref('');
const whole = ref('');
const note = ref('');
const plan = shallowRef<PlaylistPlan>();
const base = shallowRef<PlaylistDefinition>(newPlaylist(props.name));

watch([data, isNew], () => {
  base.value = data.value?.definition ?? newPlaylist(props.name);
  title.value = base.value.title;
  slots.value = base.value.slots.map(fieldsOf);
  hours.value = hoursFields(base.value.hours);
  const namesOf = (kind: PlaylistTarget['kind']) =>
    data.value?.targets.filter((one) => one.kind === kind).map((one) => one.name) ?? [];
  targets.value = namesOf('screen-group');
  singles.value = namesOf('screen');
});
watch([base, data], () => (saved.value = JSON.stringify(definition.value)), { flush: 'post' });
const rules = computed(() => rulesIn(base.value.hours));
const definition = computed((): PlaylistDefinition => {
  const { hours: _, slots: __, ...rest } = base.value;
  return { ...rest, title: title.value, ...hoursOf(hours.value, rules.value), slots: slots.value.map(slotOf) };
});
const saved = ref('');
const isChanged = computed(() => JSON.stringify(definition.value) !== saved.value);
const wanted = computed((): PlaylistTarget[] => [
  ...targets.value.map((name) => ({ kind: 'screen-group' as const, name })),
  ...singles.value.map((name) => ({ kind: 'screen' as const, name })),
]);
const others = computed(() =>
  (fleet.value?.screens ?? []).filter((one) => one.state !== 'closed' && !singles.value.includes(one.name)),
);
const addSingle = () => {
  if (single.value) singles.value.push(single.value);
  single.value = '';
};
/** A slot for each page of a report. */
const addPages = () => {
  const { pages = [] } = choices.value.reports.find((one) => one.report === whole.value) ?? {};
  for (const { name } of pages)
    slots.value.push({
      ...newFields(freeName(`${whole.value}-${name}`.slice(0, 60), slots.value)),
      report: whole.value,
      page: name,
    });
  whole.value = '';
};
const late = computed(() => data.value?.screens.filter((one) => one.has !== one.wanted) ?? []);

const save = () =>
  attempt('save', async () => {
    const expected = data.value?.version;
    await call('PUT', '/api/v1/playlists', {
      definition: definition.value,
      ...(expected === undefined ? {} : { expected }),
    });
    plan.value = undefined;
    await reload();
  });
const look = () =>
  attempt('plan', async () => {
    plan.value = await call<PlaylistPlan>('POST', `${path.value}/preview`, { targets: wanted.value });
  });
const publish = (give: boolean) =>
  attempt('publish', async () => {
    const expected = plan.value!.revision - 1;
    await call('POST', `${path.value}/publish`, { targets: wanted.value, note: note.value, give, expected });
    plan.value = undefined;
    note.value = '';
    await reload();
  });
const back = (revision: number) =>
  attempt('back', async () => {
    await call('POST', `${path.value}/rollback`, { revision });
    await reload();
  });
const withdraw = (target: PlaylistTarget) =>
  attempt('withdraw', async () => {
    await call('POST', `${path.value}/unpublish`, { target: { kind: target.kind, name: target.name } });
    await reload();
  });
const remove = () =>
  attempt('remove', async () => {
    await call('DELETE', path.value);
    await router.push('/playlists');
  });
const move = (at: number, by: number) => {
  const [one] = slots.value.splice(at, 1);
  slots.value.splice(at + by, 0, one!);
};
</script>

<template>
  <p class="crumbs"><RouterLink to="/screens">Screens</RouterLink><RouterLink to="/playlists">Playlists</RouterLink></p>
  <ProblemNote v-if="error && !isNew" :problem="error" />
  <template v-else-if="data || isNew">
    <h1>{{ data?.title ?? name }}</h1>
    <p v-if="data" class="quiet">
      {{ data.revision === null ? 'Not published' : `Version ${data.revision}` }}, edited by {{ data.changedBy }},
      {{ showInstant(data.changedAt) }}.
      <template v-if="data.screens.length > 0"
        >{{ data.screens.length - late.length }} of {{ data.screens.length }} screens up to date.</template
      >
    </p>
    <div class="fields">
      <label>Title <input v-model="title" required maxlength="200" /></label>
    </div>
    <HoursField v-model="hours" :rules="rules" />
    <h2>Slots</h2>
    <ol class="slots">
      <li v-for="(slot, i) in slots" :key="i">
        <SlotForm v-model="slots[i]!" :choices="choices" />
        <p class="more">
          <Button size="small" :disabled="i === 0" @click="move(i, -1)">Move up</Button>
          <Button size="small" :disabled="i === slots.length - 1" @click="move(i, 1)">Move down</Button>
          <Button size="small" danger @click="slots.splice(i, 1)">Remove {{ slot.name }}</Button>
        </p>
      </li>
    </ol>
    <p class="more">
      <Button @click="slots.push(newFields(freeName(`slot-${slots.length + 1}`, slots)))">Add slot</Button>
      <label
        >Add all pages of
        <select v-model="whole" class="plain" @change="addPages">
          <option value="">report …</option>
          <option v-for="one in choices.reports" :key="one.report" :value="one.report">{{ one.title }}</option>
        </select></label
      >
      <Button type="primary" :disabled="!isChanged" :loading="busy === 'save'" @click="save">Save</Button>
      <Rename v-if="data" path="/api/v1/playlists" :name="name" />
      <ConfirmAction
        v-if="data"
        is-dangerous
        title="Delete the playlist and all versions?"
        ok-text="Delete"
        @confirm="remove"
        ><Button danger :loading="busy === 'remove'">Delete</Button></ConfirmAction
      >
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
    <template v-if="data">
      <h2>Publish</h2>
      <fieldset class="plain">
        <legend>Groups</legend>
        <label v-for="one in groups?.groups ?? []" :key="one.name"
          ><input v-model="targets" type="checkbox" :value="one.name" /> {{ one.title }} ({{ one.screens }})</label
        >
      </fieldset>
      <fieldset class="plain">
        <legend>Single screens</legend>
        <label v-for="one in singles" :key="one"
          ><input v-model="singles" type="checkbox" :value="one" /> {{ one }}</label
        >
        <label
          ><select v-model="single" class="plain" aria-label="Another screen" @change="addSingle">
            <option value="">another screen …</option>
            <option v-for="one in others" :key="one.name" :value="one.name">{{ one.title }}</option>
          </select></label
        >
      </fieldset>
      <p class="more">
        <Button :disabled="isChanged || wanted.length === 0" :loading="busy === 'plan'" @click="look">Preview</Button>
        <span v-if="isChanged" class="quiet">Save first.</span>
      </p>
      <PublishPreview v-if="plan" v-model:note="note" :plan="plan" :is-busy="busy === 'publish'" @publish="publish" />
      <h2>Published to</h2>
      <p v-if="data.targets.length === 0" class="quiet">Not published.</p>
      <ul>
        <li v-for="one in data.targets" :key="one.name">
          {{ one.kind === 'screen' ? 'screen' : 'group' }} {{ one.name }}: version {{ one.revision }}
          <Button size="small" :loading="busy === 'withdraw'" @click="withdraw(one)">Unpublish</Button>
        </li>
      </ul>
      <p v-if="late.length > 0" class="quiet">
        Update pending:
        <template v-for="one in late.slice(0, 20)" :key="one.name">{{ one.title }} ({{ one.has ?? 'none' }}) </template>
      </p>
      <h2>Versions</h2>
      <ul>
        <li v-for="one in data.revisions" :key="one.number">
          {{ one.number }} <span class="quiet">{{ showInstant(one.at) }} by {{ one.by }}</span> {{ one.note }}
          <Button v-if="one.number !== data.revision" size="small" :loading="busy === 'back'" @click="back(one.number)"
            >Roll back to {{ one.number }}</Button
          >
        </li>
      </ul>
      <PermissionsPanel v-if="data.right !== 'view'" kind="playlist" :name="name" />
    </template>
  </template>
</template>

<style scoped>
.slots {
  padding: 0;
  list-style: none;
}
.slots li {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  padding: 0.5rem 0.8rem;
  margin-bottom: 0.6rem;
}
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1rem;
}
ul {
  list-style: none;
  padding: 0;
}
</style>
