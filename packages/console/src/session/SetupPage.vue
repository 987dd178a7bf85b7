<script setup lang="ts">
import { Button, Form, FormItem, Input, InputPassword } from 'ant-design-vue';
import { reactive } from 'vue';
import { useRouter } from 'vue-router';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useSession } from './useSession.ts';

const { setUp } = useSession();
const router = useRouter();
const fields = reactive({ code: '', name: '', email: '', password: '' });
const { busy, problem, attempt } = useAttempt();

const submit = () =>
  attempt('work', async () => {
    await setUp({ ...fields });
    await router.push('/');
  });
</script>

<template>
  <section class="narrow">
    <h1>Setup</h1>
    <p class="quiet">Create the first administrator. Enter the one-time code that the start command printed.</p>
    <ProblemNote v-if="problem" :problem="problem" />
    <Form layout="vertical" :model="fields" @finish="submit">
      <FormItem
        label="One-time code"
        name="code"
        :rules="[{ required: true, message: 'Enter the code that the start command printed' }]"
        ><Input v-model:value="fields.code" autocomplete="off"
      /></FormItem>
      <FormItem label="Your name" name="name" :rules="[{ required: true, message: 'Enter your name' }]"
        ><Input v-model:value="fields.name" autocomplete="name"
      /></FormItem>
      <FormItem
        label="Email"
        name="email"
        :rules="[{ required: true, type: 'email', message: 'A mail address, such as name@host.example' }]"
        ><Input v-model:value="fields.email" autocomplete="username"
      /></FormItem>
      <FormItem
        label="Password"
        name="password"
        extra="At least 12 characters"
        :rules="[{ required: true, min: 12, message: 'At least 12 characters' }]"
        ><InputPassword v-model:value="fields.password" autocomplete="new-password"
      /></FormItem>
      <Button type="primary" html-type="submit" size="large" :loading="busy !== ''">Create administrator</Button>
    </Form>
  </section>
</template>

<style scoped>
.narrow {
  max-width: 30rem;
  margin: 2rem auto;
}
</style>
