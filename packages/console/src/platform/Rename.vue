<script setup lang="ts">
import { Button, Popover } from 'ant-design-vue';
import { ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { call } from './api.ts';
import ProblemNote from './ProblemNote.vue';
import { useAttempt } from './useAttempt.ts';

/** Gives a thing another name: what names it follows, and its old name leads to it. */
const props = withDefaults(
  defineProps<{
    /** Where it is in the API. */
    path: string;
    name: string;
    pattern?: string;
    /** Whether its old name leads to it. */
    leads?: boolean;
  }>(),
  { pattern: '[a-z][a-z0-9\\-]*', leads: true },
);
const emit = defineEmits<{ renamed: [name: string] }>();
const [route, router] = [useRoute(), useRouter()];
const { busy, problem, attempt } = useAttempt<'name'>();
const isOpen = shallowRef(false);
const name = ref(props.name);
watch(isOpen, () => (name.value = props.name));
const save = () =>
  attempt('name', async () => {
    const to = name.value.trim();
    await call('PUT', `${props.path}/${encodeURIComponent(props.name)}/name`, { name: to });
    isOpen.value = false;
    // A page that is about the thing stays with it.
    if (route.params['name'] === props.name) await router.replace({ params: { ...route.params, name: to } });
    emit('renamed', to);
  });
</script>

<template>
  <Popover v-model:open="isOpen" trigger="click" placement="bottomRight">
    <template #content>
      <form class="rename" @submit.prevent="save">
        <label>New name <input v-model="name" required :pattern="pattern" /></label>
        <p class="quiet">
          Everything that names it follows<template v-if="leads">; links with the old name go on leading to it</template
          >.
        </p>
        <ProblemNote v-if="problem" :problem="problem" />
        <Button type="primary" html-type="submit" size="small" :loading="busy === 'name'">Rename</Button>
      </form>
    </template>
    <Button size="small">Rename</Button>
  </Popover>
</template>

<style scoped>
.rename {
  max-width: 19rem;
}
.rename label {
  display: grid;
  gap: 0.25rem;
}
</style>
