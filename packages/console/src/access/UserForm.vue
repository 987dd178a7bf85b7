<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { reactive } from 'vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

/** Changes a person: name, attributes, whether they administer; makes a publisher of them. */
const props = defineProps<{
  person: {
    readonly email: string;
    readonly name: string;
    readonly isAdministrator: boolean;
    readonly attributes: Readonly<Record<string, readonly string[]>>;
  };
}>();
const emit = defineEmits<{ changed: []; closed: [] }>();
const { data: declared } = useResource<{ attributes: { name: string; label: string }[] }>('/api/v1/user-attributes');
const { busy, problem, attempt } = useAttempt<'save' | 'publish'>();
const form = reactive({
  name: props.person.name,
  isAdministrator: props.person.isAdministrator,
  values: Object.fromEntries(
    Object.entries(props.person.attributes).map(([name, values]) => [name, values.join(', ')]),
  ) as Record<string, string>,
});
const save = () =>
  attempt('save', async () => {
    const attributes = Object.fromEntries(
      Object.entries(form.values)
        .map(
          ([name, text]) =>
            [
              name,
              text
                .split(',')
                .map((one) => one.trim())
                .filter(Boolean),
            ] as const,
        )
        .filter(([, values]) => values.length > 0),
    );
    const { name, isAdministrator } = form;
    const body = { name, attributes, ...(isAdministrator === props.person.isAdministrator ? {} : { isAdministrator }) };
    await call('PUT', `/api/v1/users/${encodeURIComponent(props.person.email)}`, body);
    emit('changed');
  });
const publish = () =>
  attempt('publish', async () => {
    await call('PUT', `/api/v1/users/${encodeURIComponent(props.person.email)}/publisher`);
    emit('changed');
  });
</script>

<template>
  <form class="fields" :aria-label="`Edit ${person.email}`" @submit.prevent="save">
    <label>Name <input v-model="form.name" required /></label>
    <label v-for="one in declared?.attributes ?? []" :key="one.name"
      >{{ one.label }} <input v-model="form.values[one.name]" placeholder="values, separated by commas"
    /></label>
    <label
      >Administrator
      <select v-model="form.isAdministrator">
        <option :value="false">no</option>
        <option :value="true">yes (full access)</option>
      </select></label
    >
    <Button type="primary" html-type="submit" :loading="busy === 'save'">Save</Button>
    <ConfirmAction
      title="The user becomes owner of all items. Row rules still apply."
      ok-text="Make publisher"
      @confirm="publish"
    >
      <Button :loading="busy === 'publish'">Make publisher</Button>
    </ConfirmAction>
    <Button @click="emit('closed')">Close</Button>
  </form>
  <ProblemNote v-if="problem" :problem="problem" />
</template>

<style scoped>
.fields {
  margin-bottom: 1rem;
}
</style>
