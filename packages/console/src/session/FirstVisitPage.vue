<script setup lang="ts">
import { Button, Form, FormItem, Input, InputPassword } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useSession } from './useSession.ts';

const { setUp } = useSession();
const router = useRouter();
const fields = reactive({ code: '', name: '', email: '', password: '' });
const problem = ref<ProblemDocument>();
const isBusy = ref(false);

async function submit(): Promise<void> {
  isBusy.value = true;
  problem.value = undefined;
  try {
    await setUp({ ...fields });
    await router.push('/');
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error;
    problem.value = error.document;
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <section class="narrow">
    <h1>First visit</h1>
    <p class="quiet">
      This installation has no administrator yet. The start command printed a one-time code; with it you become the
      first.
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
    <Form layout="vertical" :model="fields" @finish="submit">
      <FormItem label="One-time code" name="code" :rules="[{ required: true, message: 'The start command printed it' }]"
        ><Input v-model:value="fields.code" autocomplete="off"
      /></FormItem>
      <FormItem label="Your name" name="name" :rules="[{ required: true, message: 'Your name is missing' }]"
        ><Input v-model:value="fields.name" autocomplete="name"
      /></FormItem>
      <FormItem
        label="Mail address"
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
      <Button type="primary" html-type="submit" size="large" :loading="isBusy">Become administrator</Button>
    </Form>
  </section>
</template>

<style scoped>
.narrow {
  max-width: 30rem;
  margin: 2rem auto;
}
</style>
