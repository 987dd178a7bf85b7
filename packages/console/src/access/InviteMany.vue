<script setup lang="ts">
import { Alert, Button, Checkbox, Table, Textarea, UploadDragger } from 'ant-design-vue';
import { ref } from 'vue';
import type { InvitedPeople } from '@underbell/core/access';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';

/** Invites everybody whom a table or a list of email addresses names, once it was looked at. */
const emit = defineEmits<{ invited: []; closed: [] }>();
const text = ref('');
const message = ref('');
const isSkipping = ref(false);
const preview = ref<InvitedPeople>();
const done = ref<InvitedPeople>();
const { busy, problem, attempt } = useAttempt<'look' | 'send'>();
const columns = [
  { title: 'Email', dataIndex: 'email' },
  { title: 'Name', dataIndex: 'name' },
  { title: 'Organisation', dataIndex: 'organisation' },
  { title: 'Groups', key: 'groups' },
  { title: 'Attributes', key: 'attributes' },
];
const ask = (isPreview: boolean) =>
  call<InvitedPeople>('POST', '/api/v1/invitations/table', {
    text: text.value,
    message: message.value,
    isPreview,
    invalidRows: isSkipping.value ? 'skip' : 'reject',
  });
const look = () =>
  attempt('look', async () => {
    preview.value = undefined;
    preview.value = await ask(true);
  });
const send = () =>
  attempt('send', async () => {
    done.value = await ask(false);
    preview.value = undefined;
    emit('invited');
  });
/** The file is read here and sent as text: nothing is uploaded before it was looked at. */
function take(file: File): boolean {
  void file.text().then((content) => {
    text.value = content;
    void look();
  });
  return false;
}
const attributeWords = (attributes: InvitedPeople['invited'][number]['attributes']) =>
  Object.entries(attributes)
    .map(([name, values]) => `${name} ${values.join(', ')}`)
    .join(' · ');
const people = (count: number) => `${count} ${count === 1 ? 'user' : 'users'}`;
</script>

<template>
  <section class="framed many" aria-label="Invite many">
    <Alert v-if="done" type="success" show-icon :message="`${people(done.invited.length)} invited.`" />
    <UploadDragger :before-upload="take" :show-upload-list="false" accept=".csv,.txt,.tsv,text/csv,text/plain">
      <p>Select a CSV file or drop it here</p>
    </UploadDragger>
    <label
      >Or paste users
      <Textarea
        v-model:value="text"
        :rows="5"
        spellcheck="false"
        placeholder="email,name,groups,quay
ada.lund@skerrow.example,Ada Lund,Quay managers,Q017"
        @change="preview = undefined"
      />
    </label>
    <p class="quiet">
      Columns: email, name, organisation (of a guest), groups, and user attributes. Separate several values in a cell
      with | or ;. Without a header, each line is one user.
    </p>
    <label>Message in the email <Textarea v-model:value="message" :rows="2" /></label>
    <Checkbox v-model:checked="isSkipping">Skip invalid rows</Checkbox>
    <ProblemNote v-if="problem" :problem="problem" />
    <template v-if="preview">
      <Table
        :columns="columns"
        :data-source="[...preview.invited]"
        row-key="email"
        size="small"
        :pagination="{ pageSize: 10, showSizeChanger: false, hideOnSinglePage: true }"
      >
        <template #emptyText>All users are already here or invited.</template>
        <template #bodyCell="{ column, record }">
          <template v-if="column.key === 'groups'">{{ record.groups.join(', ') }}</template>
          <template v-else-if="column.key === 'attributes'">{{ attributeWords(record.attributes) }}</template>
        </template>
      </Table>
      <p v-if="preview.known.length > 0">
        {{ people(preview.known.length) }} here or invited already: {{ preview.known.slice(0, 10).join(', ')
        }}{{ preview.known.length > 10 ? ` and ${preview.known.length - 10} more` : '' }}.
      </p>
      <Alert
        v-if="preview.skipped"
        type="warning"
        :message="`${preview.skipped.rows} invalid ${preview.skipped.rows === 1 ? 'row is' : 'rows are'} skipped`"
      >
        <template #description>
          <ul>
            <li v-for="one in preview.skipped.problems" :key="`${one.at} ${one.message}`">
              {{ one.at }}: {{ one.message }}
            </li>
          </ul>
        </template>
      </Alert>
    </template>
    <p class="actions">
      <Button :disabled="text.trim() === ''" :loading="busy === 'look'" @click="look">Preview</Button>
      <Button
        type="primary"
        :disabled="!preview || preview.invited.length === 0"
        :loading="busy === 'send'"
        @click="send"
        >Invite {{ preview ? people(preview.invited.length) : 'users' }}</Button
      >
      <Button @click="emit('closed')">Close</Button>
    </p>
  </section>
</template>

<style scoped>
.many {
  display: grid;
  gap: 0.7rem;
}
.many > p {
  margin: 0;
}
label {
  font-weight: 600;
}
.actions {
  display: flex;
  gap: 0.5rem;
}
ul {
  margin: 0;
  padding-left: 1.2rem;
}
</style>
