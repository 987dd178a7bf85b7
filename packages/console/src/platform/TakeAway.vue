<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue';
import { useRouter } from 'vue-router';
import { call } from './api.ts';
import ProblemNote from './ProblemNote.vue';
import { useAttempt } from './useAttempt.ts';

/** Takes a thing away for good, unless something needs it. */
const props = defineProps<{
  kind: 'burst' | 'list' | 'placement' | 'source' | 'template' | 'folder';
  name: string;
  /** Where one is afterwards; here when left out. */
  to?: string;
}>();
const emit = defineEmits<{ gone: [] }>();
const router = useRouter();
const { busy, problem, attempt } = useAttempt<'go'>();
const kept = { burst: ' Its ledger stays.' } as Readonly<Record<string, string>>;
const go = () =>
  attempt('go', async () => {
    await call('DELETE', `/api/v1/${props.kind}s/${encodeURIComponent(props.name)}`);
    emit('gone');
    if (props.to) await router.push(props.to);
  });
</script>

<template>
  <span class="take">
    <Popconfirm
      :title="`Take the ${kind} ${name} away for good? It is refused while something needs it.${kept[kind] ?? ''}`"
      ok-text="Take it away"
      @confirm="go"
    >
      <Button size="small" danger :loading="busy === 'go'">Take away</Button>
    </Popconfirm>
    <ProblemNote v-if="problem" :problem="problem" />
  </span>
</template>

<style scoped>
.take {
  margin-left: 0.6rem;
}
</style>
