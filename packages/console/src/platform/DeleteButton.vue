<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { useRouter } from 'vue-router';
import { kindInfo, type TakenAwayKind } from '@underbell/core/access/resources';
import { call } from './api.ts';
import ConfirmAction from './ConfirmAction.vue';
import ProblemNote from './ProblemNote.vue';
import Rename from './Rename.vue';
import { useAttempt } from './useAttempt.ts';

/** Gives a thing another name, or takes it away for good, unless something needs it. */
const props = defineProps<{
  kind: TakenAwayKind;
  name: string;
  /** Where one is afterwards; here when left out. */
  to?: string;
}>();
const emit = defineEmits<{ gone: []; renamed: [] }>();
const router = useRouter();
const { busy, problem, attempt } = useAttempt<'go'>();
const kept = { burst: ' The delivery log is kept.' } as Readonly<Record<string, string>>;
const go = () =>
  attempt('go', async () => {
    await call('DELETE', `/api/v1/${kindInfo(props.kind).plural}/${encodeURIComponent(props.name)}`);
    emit('gone');
    if (props.to) await router.push(props.to);
  });
</script>

<template>
  <span class="take">
    <Rename :path="`/api/v1/${kindInfo(kind).plural}`" :name="name" @renamed="emit('renamed')" />
    <ConfirmAction
      is-dangerous
      :title="`Delete ${kind} “${name}”? This cannot be undone. Not possible while it is in use.${kept[kind] ?? ''}`"
      ok-text="Delete"
      @confirm="go"
    >
      <Button size="small" danger :loading="busy === 'go'">Delete</Button>
    </ConfirmAction>
    <ProblemNote v-if="problem" :problem="problem" />
  </span>
</template>

<style scoped>
.take {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 0.4rem;
}
</style>
