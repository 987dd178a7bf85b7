<script setup lang="ts">
import { Alert, Button, Descriptions, DescriptionsItem, Form, FormItem, InputPassword } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useSession } from './useSession.ts';

/** Who somebody is here, and a new password for them. */
const { person, signIn } = useSession();
const { busy, problem, attempt } = useAttempt<'save'>();
const form = reactive({ current: '', password: '' });
const isDone = ref(false);
const save = () =>
  attempt('save', async () => {
    isDone.value = false;
    const { email } = person.value!;
    await call('PUT', '/api/v1/session/password', { ...form });
    // Every session ended with the old password, this one as well.
    await signIn(email, form.password);
    Object.assign(form, { current: '', password: '' });
    isDone.value = true;
  });
</script>

<template>
  <h1>Your account</h1>
  <Descriptions v-if="person" :column="1" size="small" class="about">
    <DescriptionsItem label="Name">{{ person.name }}</DescriptionsItem>
    <DescriptionsItem label="Email">{{ person.email }}</DescriptionsItem>
    <DescriptionsItem v-if="person.groups.length > 0" label="Groups">{{ person.groups.join(', ') }}</DescriptionsItem>
    <DescriptionsItem v-for="(values, name) in person.attributes" :key="name" :label="String(name)">{{
      values.join(', ')
    }}</DescriptionsItem>
  </Descriptions>
  <h2>Change password</h2>
  <p class="quiet">All other sessions end. At least 12 characters; a phrase of unrelated words works well.</p>
  <Alert v-if="isDone" type="success" show-icon message="The password is changed." />
  <ProblemNote v-if="problem" :problem="problem" />
  <Form layout="vertical" :model="form" class="form" @finish="save">
    <FormItem label="Current password" html-for="current">
      <InputPassword id="current" v-model:value="form.current" autocomplete="current-password" />
    </FormItem>
    <FormItem label="New password" html-for="password">
      <InputPassword id="password" v-model:value="form.password" autocomplete="new-password" />
    </FormItem>
    <Button
      type="primary"
      html-type="submit"
      :loading="busy === 'save'"
      :disabled="form.current === '' || form.password === ''"
      >Change password</Button
    >
  </Form>
</template>

<style scoped>
.about,
.form {
  max-width: 34rem;
}
</style>
