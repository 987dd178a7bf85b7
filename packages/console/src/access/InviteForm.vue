<script setup lang="ts">
import { Button, Checkbox, Input, Textarea } from 'ant-design-vue';
import { computed, reactive } from 'vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import SeveralField from '../platform/SeveralField.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { useSession } from '../session/useSession.ts';

const emit = defineEmits<{ invited: []; closed: [] }>();
const { person } = useSession();
const fields = reactive({
  email: '',
  name: '',
  isGuest: true,
  organisation: '',
  reports: [] as string[],
  groups: [] as string[],
  words: '',
});
const reports = useResource<{ reports: { name: string; title: string }[] }>('/api/v1/reports');
const groups = useResource<{ groups: { name: string }[] }>('/api/v1/groups');
const reportOptions = computed(() =>
  (reports.data.value?.reports ?? []).map((one) => ({ value: one.name, label: one.title })),
);
const groupOptions = computed(() =>
  (groups.data.value?.groups ?? []).map((one) => ({ value: one.name, label: one.name })),
);
const { busy, problem, attempt } = useAttempt();
const send = () =>
  attempt('work', async () => {
    const { email, name, isGuest, organisation, words } = fields;
    await call('POST', '/api/v1/invitations', {
      email,
      name,
      words,
      groups: fields.groups,
      ...(isGuest ? { organisation } : {}),
      rights: fields.reports.map((report) => ({ kind: 'report', name: report, level: 'view' })),
    });
    emit('invited');
  });
</script>

<template>
  <section class="new-thing" aria-label="Invitation">
    <label>Email <Input v-model:value="fields.email" type="email" /></label>
    <label>Name <Input v-model:value="fields.name" /></label>
    <div>
      <Checkbox v-model:checked="fields.isGuest" :disabled="!person?.isAdministrator"
        >Guest of another organisation</Checkbox
      >
      <label v-if="fields.isGuest">Organisation <Input v-model:value="fields.organisation" /></label>
    </div>
    <SeveralField v-model:value="fields.reports" label="Can view" :options="reportOptions" none="no reports" />
    <SeveralField v-model:value="fields.groups" label="Groups" :options="groupOptions" none="no groups" />
    <label class="wide">Message (optional) <Textarea v-model:value="fields.words" :rows="2" /></label>
    <p class="quiet wide">
      Guests get only permissions granted to them or their groups, not those of “everyone”. They see only rows that a
      row rule allows.
    </p>
    <ProblemNote v-if="problem" :problem="problem" class="wide" />
    <p class="wide actions">
      <Button type="primary" :loading="busy !== ''" :disabled="fields.email === '' || fields.name === ''" @click="send"
        >Send invitation</Button
      >
      <Button @click="emit('closed')">Close</Button>
    </p>
  </section>
</template>
