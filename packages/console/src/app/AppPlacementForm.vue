<script setup lang="ts">
import { Button, Checkbox } from 'ant-design-vue';
import { ref } from 'vue';
import type { AppPlace } from '@underbell/core/app';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';

/** What companies may have in a place instead, and whether people may have it in their side panel. */
const props = defineProps<{ path: string; place: AppPlace; others: readonly AppPlace[] }>();
const emit = defineEmits<{ saved: []; close: [] }>();
const { busy, problem, attempt } = useAttempt();
const inPanel = ref(props.place.inPanel);
const offers = ref<readonly string[]>(props.place.offers);
function turn(name: string, isOffered: boolean): void {
  offers.value = isOffered ? [...offers.value, name] : offers.value.filter((one) => one !== name);
}
const save = () =>
  attempt('work', async () => {
    await call('PUT', props.path, { inPanel: inPanel.value, offers: offers.value });
    emit('saved');
  });
</script>

<template>
  <form class="framed" @submit.prevent="save">
    <Checkbox v-model:checked="inPanel">Available in side panels</Checkbox>
    <fieldset v-if="others.length > 0">
      <legend>Alternatives for companies</legend>
      <Checkbox
        v-for="one in others"
        :key="one.placement"
        :checked="offers.includes(one.placement)"
        @update:checked="turn(one.placement, $event as boolean)"
        >{{ one.title }}</Checkbox
      >
    </fieldset>
    <ProblemNote v-if="problem" :problem="problem" />
    <p class="more">
      <Button type="primary" html-type="submit" :loading="busy !== ''">Save</Button>
      <Button @click="emit('close')">Cancel</Button>
    </p>
  </form>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0.6rem 0 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 1rem;
}
legend {
  font-weight: 600;
}
</style>
