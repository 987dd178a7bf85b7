<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { reactive } from 'vue';
import type { ShownApp } from '@underbell/core/app';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';

/** How a business app is known here; for administrators. */
const props = defineProps<{ app?: ShownApp }>();
const emit = defineEmits<{ saved: [name: string]; close: [] }>();
const { busy, problem, attempt } = useAttempt();
const form = reactive({
  name: props.app?.name ?? '',
  title: props.app?.title ?? '',
  origins: props.app?.origins.join('\n') ?? '',
  client: props.app?.client ?? '',
  from: props.app?.company?.from ?? '',
  company: props.app?.company?.name ?? '',
  charts: props.app?.charts.map((one) => `${one.name} ${one.address} ${one.title}`).join('\n') ?? '',
});
/** Each line a name, an address, and a title of as many words as it has. */
const chartsOf = (text: string) =>
  text
    .split('\n')
    .map((line) => /^\s*(\S+)\s+(\S+)\s+(.+?)\s*$/.exec(line))
    .flatMap((one) => (one ? [{ name: one[1]!, address: one[2]!, title: one[3]! }] : []));
const save = () =>
  attempt('work', async () => {
    await call('PUT', `/api/v1/apps/${encodeURIComponent(form.name)}`, {
      title: form.title,
      origins: form.origins.split(/\s+/).filter(Boolean),
      client: form.client.trim() === '' ? null : form.client.trim(),
      company: form.from === '' ? null : { from: form.from, name: form.company },
      charts: chartsOf(form.charts),
    });
    emit('saved', form.name);
  });
</script>

<template>
  <form class="framed" @submit.prevent="save">
    <div class="fields">
      <label>Title <input v-model="form.title" required maxlength="200" /></label>
      <label v-if="!app"
        >Name (used in URLs) <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60"
      /></label>
      <label>Client <input v-model="form.client" placeholder="none" /></label>
      <label
        >Company from
        <select v-model="form.from">
          <option value="">nothing (one company)</option>
          <option value="record">record field</option>
          <option value="person">user attribute</option>
        </select>
      </label>
      <label v-if="form.from !== ''"
        >Field or attribute name <input v-model="form.company" required maxlength="63"
      /></label>
      <label class="wide"
        >Allowed origins, one per line
        <textarea v-model="form.origins" rows="2" placeholder="https://works.example" />
      </label>
      <label class="wide"
        >Charts of the app, one per line: name, URL, title
        <textarea v-model="form.charts" rows="2" placeholder="berths https://works.example/charts/berths Berths" />
      </label>
    </div>
    <ProblemNote v-if="problem" :problem="problem" />
    <p class="more">
      <Button type="primary" html-type="submit" :loading="busy !== ''">Save</Button>
      <Button @click="emit('close')">Cancel</Button>
    </p>
  </form>
</template>
