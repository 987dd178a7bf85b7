<script setup lang="ts">
import { Button, Form, FormItem, Input, InputPassword } from 'ant-design-vue';
import { reactive } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useSession } from './useSession.ts';

const { signIn } = useSession();
const route = useRoute();
const router = useRouter();
const fields = reactive({ email: '', password: '' });
const { busy, problem, attempt } = useAttempt();

const submit = () =>
  attempt('work', async () => {
    await signIn(fields.email, fields.password);
    const then = route.query['then'];
    // Only a place inside the console is followed.
    await router.push(typeof then === 'string' && /^\/(?!\/)/.test(then) ? then : '/');
  });
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
      <Button type="primary" html-type="submit" size="large" :loading="busy !== ''">Sign in</Button>
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
