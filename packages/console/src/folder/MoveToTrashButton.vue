<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed } from 'vue';
import { kindInfo, type BinnedKind } from '@underbell/core/access/resources';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import Rename from '../platform/Rename.vue';
import { useAttempt } from '../platform/useAttempt.ts';

/** Gives a thing another name, or throws it into the bin; says first what depends on it. */
const props = defineProps<{ kind: BinnedKind; name: string; title: string }>();
const emit = defineEmits<{ gone: [] }>();
const { busy, problem, attempt } = useAttempt();
const isUsed = computed(() => problem.value?.code === 'IN_USE');
const drop = (isConfirmed: boolean) =>
  attempt('work', async () => {
    await call('DELETE', `/api/v1/${kindInfo(props.kind).plural}/${props.name}${isConfirmed ? '?confirmed=true' : ''}`);
    emit('gone');
  });
</script>

<template>
  <section class="bin">
    <ProblemNote v-if="problem" :problem="problem" />
    <Rename :path="`/api/v1/${kindInfo(kind).plural}`" :name="name" />
    <ConfirmAction
      is-dangerous
      :title="
        isUsed
          ? 'The items listed above will stop working. Delete anyway?'
          : `Move “${title}” to trash? You can restore it for 30 days.`
      "
      ok-text="Move to trash"
      @confirm="drop(isUsed)"
    >
      <Button danger size="small" :loading="busy === 'work'">{{ isUsed ? 'Delete anyway' : 'Delete' }}</Button>
    </ConfirmAction>
  </section>
</template>

<style scoped>
.bin {
  margin-top: 2rem;
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
}
</style>
