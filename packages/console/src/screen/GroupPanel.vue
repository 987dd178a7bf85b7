<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import type { ShownGroup } from '@underbell/core/screen';
import RightsPanel from '../access/RightsPanel.vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { showInstant } from '../platform/words.ts';

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
const now = reactive({ text: '', minutes: 60 });
const save = () =>
  attempt('save', async () => {
    const { name, title, worryHours, leaseHours, otherwise } = form;
    await call('PUT', path(name), { title, worryMinutes: Math.round(worryHours * 60), leaseHours, otherwise });
    isOpen.value = false;
    emit('saved');
  });
const interrupt = () =>
  attempt('interrupt', async () => {
    const until = new Date(Date.now() + now.minutes * 60_000).toISOString();
    const slot = { name: 'now', shows: { text: now.text }, seconds: 60 };
    await call('POST', `${path(form.name)}/interruptions`, { slot, until });
    now.text = '';
    emit('saved');
  });
const end = (id: number) =>
  attempt('end', async () => {
    await call('DELETE', `${path(form.name)}/interruptions/${id}`);
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
  <section class="framed" :aria-label="group ? group.title : 'A new group'">
    <template v-if="group">
      <h2>{{ group.title }}</h2>
      <p class="quiet">
        Figures older than {{ group.worryMinutes / 60 }} hours are marked; after {{ group.leaseHours }} hours without a
        word a screen forgets what it keeps.
      </p>
      <p v-for="one in group.interruptions" :key="one.id" class="now">
        <b>Now on all of them:</b> {{ 'text' in one.slot.shows ? one.slot.shows.text : one.slot.shows.report }}
        <span class="quiet">by {{ one.by }}, until {{ showInstant(one.until) }}</span>
        <Button v-if="mayEdit" size="small" :loading="busy === 'end'" @click="end(one.id)">End it</Button>
      </p>
      <form v-if="mayEdit" class="interrupt" @submit.prevent="interrupt">
        <label>Show on all of them now <input v-model="now.text" required maxlength="2000" /></label>
        <label>for minutes <input v-model.number="now.minutes" type="number" min="1" max="44640" required /></label>
        <Button html-type="submit" danger :loading="busy === 'interrupt'">Interrupt</Button>
        <Button @click="isOpen = !isOpen">Change the group, or who may</Button>
        <Rename path="/api/v1/screen-groups" :name="group.name" @renamed="emit('saved')" />
        <Button v-if="group.screens === 0" danger :loading="busy === 'remove'" @click="remove">Take away</Button>
      </form>
    </template>
    <form v-if="isOpen" @submit.prevent="save">
      <div class="fields">
        <label>Title <input v-model="form.title" required maxlength="200" /></label>
        <label v-if="!group"
          >Name in addresses <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60"
        /></label>
        <label
          >Old after hours <input v-model.number="form.worryHours" type="number" min="0.1" step="any" required
        /></label>
        <label>Forgets after hours <input v-model.number="form.leaseHours" type="number" min="1" required /></label>
        <label>Otherwise stands there <input v-model="form.otherwise" maxlength="500" /></label>
      </div>
      <p class="more">
        <Button type="primary" html-type="submit" :loading="busy === 'save'">Save</Button>
        <Button @click="((isOpen = false), emit('close'))">Cancel</Button>
      </p>
    </form>
    <ProblemNote v-if="problem" :problem="problem" />
    <RightsPanel v-if="group && mayEdit && isOpen" kind="screen-group" :name="group.name" />
  </section>
</template>

<style scoped>
h2 {
  margin: 0;
}
.interrupt {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 0.8rem;
  align-items: end;
}
.interrupt label {
  display: flex;
  flex-direction: column;
}
.interrupt input {
  font: inherit;
  padding: 0.2rem 0.4rem;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--raised);
  color: var(--ink);
  max-width: 100%;
}
.now {
  border-left: 3px solid var(--brass);
  padding-left: 0.6rem;
}
</style>
