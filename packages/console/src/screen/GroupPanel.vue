<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import { contentWords, type ShownGroup } from '@underbell/core/screen';
import PermissionsPanel from '../access/PermissionsPanel.vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { showInstant } from '../platform/format.ts';
import { useSlotChoices } from './options.ts';
import { newFields, slotOf, type SlotFields } from './playlist.ts';
import SlotForm from './SlotForm.vue';

/** A group of screens: its limits, and what interrupts it; or a new one. */
const props = defineProps<{ group?: ShownGroup }>();
const emit = defineEmits<{ saved: []; close: [] }>();
const { busy, problem, attempt } = useAttempt<'save' | 'interrupt' | 'end' | 'remove'>();
const isOpen = ref(props.group === undefined);
const path = (name: string) => `/api/v1/screen-groups/${encodeURIComponent(name)}`;
const form = reactive({
  name: props.group?.name ?? '',
  title: props.group?.title ?? '',
  worryHours: (props.group?.worryMinutes ?? 1_440) / 60,
  leaseHours: props.group?.leaseHours ?? 48,
  otherwise: props.group?.otherwise ?? '',
});
const choices = useSlotChoices();
const now = ref<SlotFields>({ ...newFields('now'), what: 'words', seconds: 60 });
const minutes = ref(60);
const isInterrupting = ref(false);
const save = () =>
  attempt('save', async () => {
    const { name, title, worryHours, leaseHours, otherwise } = form;
    await call('PUT', path(name), { title, worryMinutes: Math.round(worryHours * 60), leaseHours, otherwise });
    isOpen.value = false;
    emit('saved');
  });
const interrupt = () =>
  attempt('interrupt', async () => {
    const until = new Date(Date.now() + minutes.value * 60_000).toISOString();
    await call('POST', `${path(form.name)}/overrides`, { slot: slotOf(now.value), until });
    now.value = { ...newFields('now'), what: 'words', seconds: 60 };
    isInterrupting.value = false;
    emit('saved');
  });
const end = (id: number) =>
  attempt('end', async () => {
    await call('DELETE', `${path(form.name)}/overrides/${id}`);
    emit('saved');
  });
const remove = () =>
  attempt('remove', async () => {
    await call('DELETE', path(form.name));
    emit('saved');
  });
const mayEdit = props.group === undefined || props.group.right !== 'view';
</script>

<template>
  <section class="framed" :aria-label="group ? group.title : 'Create group'">
    <template v-if="group">
      <h2>{{ group.title }}</h2>
      <p class="quiet">
        Data is marked as out of date after {{ group.worryMinutes / 60 }} h. Offline limit: {{ group.leaseHours }} h.
      </p>
      <p v-for="one in group.interruptions" :key="one.id" class="now">
        <b>Override:</b> {{ contentWords(one.slot.shows) }}
        <span class="quiet">by {{ one.by }}, until {{ showInstant(one.until) }}</span>
        <Button v-if="mayEdit" size="small" :loading="busy === 'end'" @click="end(one.id)">End override</Button>
      </p>
      <p v-if="mayEdit" class="more">
        <Button danger @click="isInterrupting = !isInterrupting">Override</Button>
        <Button @click="isOpen = !isOpen">Edit group and permissions</Button>
        <Rename path="/api/v1/screen-groups" :name="group.name" @renamed="emit('saved')" />
        <Button v-if="group.screens === 0" danger :loading="busy === 'remove'" @click="remove">Delete</Button>
      </p>
      <form v-if="isInterrupting" @submit.prevent="interrupt">
        <SlotForm v-model="now" :choices="choices" is-now />
        <div class="fields">
          <label
            >Duration (minutes) <input v-model.number="minutes" type="number" min="1" max="44640" required
          /></label>
        </div>
        <p class="more">
          <Button html-type="submit" type="primary" danger :loading="busy === 'interrupt'">Start override</Button>
          <Button @click="isInterrupting = false">Cancel</Button>
        </p>
      </form>
    </template>
    <form v-if="isOpen" @submit.prevent="save">
      <div class="fields">
        <label>Title <input v-model="form.title" required maxlength="200" /></label>
        <label v-if="!group"
          >Name (used in URLs) <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60"
        /></label>
        <label
          >Out of date after (h) <input v-model.number="form.worryHours" type="number" min="0.1" step="any" required
        /></label>
        <label>Offline limit (h) <input v-model.number="form.leaseHours" type="number" min="1" required /></label>
        <label>Fallback text <input v-model="form.otherwise" maxlength="500" /></label>
      </div>
      <p class="more">
        <Button type="primary" html-type="submit" :loading="busy === 'save'">Save</Button>
        <Button @click="((isOpen = false), emit('close'))">Cancel</Button>
      </p>
    </form>
    <ProblemNote v-if="problem" :problem="problem" />
    <PermissionsPanel v-if="group && mayEdit && isOpen" kind="screen-group" :name="group.name" />
  </section>
</template>

<style scoped>
h2 {
  margin: 0;
}
.now {
  border-left: 3px solid var(--brass);
  padding-left: 0.6rem;
}
</style>
