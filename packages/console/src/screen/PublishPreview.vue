<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, ref } from 'vue';
import type { PlaylistPlan } from '@underbell/core/screen';

/** What publishing a playlist would mean, before it is done. */
const props = defineProps<{ plan: PlaylistPlan; isBusy: boolean }>();
const emit = defineEmits<{ publish: [give: boolean] }>();
const note = defineModel<string>('note', { required: true });
const give = ref(false);
const misfits = computed(() => props.plan.screens.filter((one) => one.misfits.length > 0));
const cautions = computed(() => props.plan.screens.filter((one) => one.cautions.length > 0));
const isHeld = computed(
  () =>
    misfits.value.length > 0 ||
    props.plan.lacks.some((one) => !one.mayGive) ||
    (props.plan.lacks.length > 0 && !give.value),
);
const changes = computed(() =>
  Object.entries(props.plan.changes)
    .filter(([, names]) => names.length > 0)
    .map(([what, names]) => `${what} ${names.join(', ')}`)
    .join('; '),
);
</script>

<template>
  <section class="framed" aria-label="Preview">
    <p>
      <b>Version {{ plan.revision }}</b> for {{ plan.screens.length }}
      {{ plan.screens.length === 1 ? 'screen' : 'screens' }}: {{ changes || 'no changes' }}.
    </p>
    <p v-for="one in plan.lacks" :key="`${one.name} ${one.report}`">
      {{ one.kind === 'screen' ? 'Screen' : 'Group' }} <b>{{ one.name }}</b> has no permission on
      <b>{{ one.report }}</b><template v-if="!one.mayGive">; you cannot grant it</template>.
    </p>
    <label v-if="plan.lacks.some((one) => one.mayGive)"
      ><input v-model="give" type="checkbox" /> Grant missing “view” permissions</label
    >
    <p v-for="one in misfits.slice(0, 20)" :key="one.name" class="wrong">
      <b>{{ one.title }}</b> error: cannot show
      <template v-for="misfit in one.misfits" :key="misfit.slot">{{ misfit.slot }}: {{ misfit.why }}. </template>
    </p>
    <details v-if="cautions.length > 0">
      <summary>Warnings on {{ cautions.length }} {{ cautions.length === 1 ? 'screen' : 'screens' }}</summary>
      <p v-for="one in cautions.slice(0, 20)" :key="one.name">
        <b>{{ one.title }}</b> –
        <template v-for="caution in one.cautions" :key="caution.slot">{{ caution.slot }}: {{ caution.why }}. </template>
      </p>
    </details>
    <p class="more">
      <label>Release notes <input v-model="note" maxlength="500" /></label>
      <Button type="primary" :disabled="isHeld" :loading="isBusy" @click="emit('publish', give)">Publish</Button>
    </p>
  </section>
</template>

<style scoped>
.wrong {
  border-left: 3px solid var(--signal);
  padding-left: 0.6rem;
}
input:not([type='checkbox']) {
  font: inherit;
  color: inherit;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.2rem 0.4rem;
}
</style>
