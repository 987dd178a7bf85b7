<script setup lang="ts">
import { Alert, Button, Form, FormItem, Input, InputPassword } from 'ant-design-vue';
import { computed, reactive } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { useSession } from './useSession.ts';

const { signIn } = useSession();
const route = useRoute();
const router = useRouter();
const fields = reactive({ email: '', password: '' });
const { busy, problem, attempt } = useAttempt();

const setup = useResource<{ hasDirectory: boolean }>('/api/v1/setup');
/** Why the directory sent somebody back, by code: what an address says is shown in words of this page alone. */
const reasons: Readonly<Record<string, string>> = {
  directory_refused: 'Single sign-on failed, or your account is not set up here. Try again or ask your administrator.',
  destination_unreachable: 'Identity provider not reachable.',
  sign_in_locked: 'Too many failed attempts. Try again in a few minutes.',
};
const refused = computed(() => {
  const code = route.query['refused'];
  if (typeof code !== 'string') return '';
  return Object.hasOwn(reasons, code) ? reasons[code]! : 'Single sign-on failed. Try again.';
});
const directory = computed(() => {
  const then = route.query['then'];
  const back = typeof then !== 'string' ? '/console' : isCopyLink(then) ? then : `/console${then}`;
  return `/sign-in/sso?return=${encodeURIComponent(back)}`;
});

/** The link of a file that somebody followed from a letter. */
const isCopyLink = (then: string) => /^\/c\/[\w.-]+$/.test(then);

const submit = () =>
  attempt('work', async () => {
    await signIn(fields.email, fields.password);
    const then = route.query['then'];
    if (typeof then === 'string' && isCopyLink(then)) return window.location.assign(then);
    // Only a place inside the console is followed.
    await router.push(typeof then === 'string' && /^\/(?!\/)/.test(then) ? then : '/');
  });
</script>

<template>
  <section class="narrow">
    <h1>Sign in</h1>
    <Alert v-if="refused && !problem" type="error" show-icon role="alert" :message="refused" class="refused" />
    <ProblemNote v-if="problem" :problem="problem" />
    <Form layout="vertical" :model="fields" @finish="submit">
      <FormItem
        label="Email"
        name="email"
        :rules="[{ required: true, type: 'email', message: 'A mail address, such as name@host.example' }]"
        ><Input v-model:value="fields.email" autocomplete="username" size="large" autofocus
      /></FormItem>
      <FormItem label="Password" name="password" :rules="[{ required: true, message: 'Enter the password' }]"
        ><InputPassword v-model:value="fields.password" autocomplete="current-password" size="large"
      /></FormItem>
      <Button type="primary" html-type="submit" size="large" :loading="busy !== ''">Sign in</Button>
    </Form>
    <p v-if="setup.data.value?.hasDirectory" class="or">or <a :href="directory">use single sign-on</a></p>
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
.refused {
  margin-bottom: 1rem;
}
.or {
  margin-top: 1rem;
}
</style>
