<script setup lang="ts">
import { Button, Form, FormItem, Input, InputPassword } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useSession } from './useSession.ts';

const { signIn } = useSession();
const route = useRoute();
const router = useRouter();
const fields = reactive({ email: '', password: '' });
const problem = ref<ProblemDocument>();
const isBusy = ref(false);

async function submit(): Promise<void> {
  isBusy.value = true;
  problem.value = undefined;
  try {
    await signIn(fields.email, fields.password);
    const then = route.query['then'];
    // Only a place inside the console is followed.
    await router.push(typeof then === 'string' && /^\/(?!\/)/.test(then) ? then : '/');
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
    <h1>Sign in</h1>
    <ProblemNote v-if="problem" :problem="problem" />
    <Form layout="vertical" :model="fields" @finish="submit">
      <FormItem
        label="Mail address"
        name="email"
        :rules="[{ required: true, type: 'email', message: 'A mail address, such as name@host.example' }]"
        ><Input v-model:value="fields.email" autocomplete="username" size="large" autofocus
      /></FormItem>
      <FormItem label="Password" name="password" :rules="[{ required: true, message: 'The password is missing' }]"
        ><InputPassword v-model:value="fields.password" autocomplete="current-password" size="large"
      /></FormItem>
      <Button type="primary" html-type="submit" size="large" :loading="isBusy">Sign in</Button>
    </Form>
  </section>
</template>

<style scoped>
.narrow {
  max-width: 26rem;
  margin: 3rem auto;
}
h1 {
  margin-bottom: 1.2rem;
}
</style>
