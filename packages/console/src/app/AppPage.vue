<script setup lang="ts">
import { Button, Spin } from 'ant-design-vue';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { ShownApp } from '@underbell/core/app';
import { placementLabel, type ShownPlacement } from '@underbell/core/placement';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showInstant } from '../platform/format.ts';
import { useSession } from '../session/useSession.ts';
import AppPlacementForm from './AppPlacementForm.vue';
import AppSetupForm from './AppSetupForm.vue';
import CompanyVariants from './CompanyVariants.vue';

/** One business app: its switch, what stands in it, and what each company has there. */
const props = defineProps<{ name: string }>();
const path = () => `/api/v1/apps/${encodeURIComponent(props.name)}`;
const { data, error, reload } = useResource<ShownApp>(path);
const placements = useResource<{ placements: ShownPlacement[] }>('/api/v1/placements');
const { person } = useSession();
const router = useRouter();
const { busy, problem, attempt } = useAttempt<'switch' | 'go' | 'out'>();
const isChanging = ref(false);
const changed = ref<string>();
const mayEdit = computed(() => data.value?.right === 'edit' || data.value?.right === 'own');

const turn = (action: 'enable' | 'disable') =>
  attempt('switch', async () => {
    await call('POST', `${path()}/${action}`);
    await reload();
  });
const go = () =>
  attempt('go', async () => {
    await call('DELETE', path());
    await router.push('/apps');
  });
const takeOut = (placement: string) =>
  attempt('out', async () => {
    await call('DELETE', `${path()}/placements/${encodeURIComponent(placement)}`);
    await reload();
  });
async function saved(): Promise<void> {
  isChanging.value = false;
  changed.value = undefined;
  await reload();
}
/** Those of its kind that stand in no app yet, as far as they are shown here. */
const free = computed(() =>
  (placements.data.value?.placements ?? []).filter(
    (one) => one.kind === 'app' && !data.value?.places.some((place) => place.placement === one.name),
  ),
);
const titleOf = (placement: string) =>
  data.value?.places.find((one) => one.placement === placement)?.title ?? placement;
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/placements">Placements</RouterLink> <RouterLink to="/apps">Business apps</RouterLink>
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!data" />
  <template v-else>
    <h1>{{ data.title }}</h1>
    <p role="status" class="state">
      <b :class="{ off: !data.isOn }">{{ data.isOn ? 'Enabled' : 'Disabled' }}.</b>
      <span v-if="data.switchedAt" class="quiet">
        Changed by {{ data.switchedBy }}, {{ showInstant(data.switchedAt) }}.
      </span>
      <template v-if="person?.isAdministrator">
        <Button v-if="!data.isOn" type="primary" :loading="busy === 'switch'" @click="turn('enable')">Enable</Button>
        <ConfirmAction
          v-else
          title="Disable this app? Its reports are hidden everywhere at once."
          ok-text="Disable"
          @confirm="turn('disable')"
          ><Button :loading="busy === 'switch'">Disable</Button></ConfirmAction
        >
      </template>
      <span v-else-if="!data.isOn" class="quiet">An administrator must enable it.</span>
    </p>
    <p class="quiet">
      Allowed origins: {{ data.origins.join(', ') || 'none'
      }}<template v-if="data.client">; client {{ data.client }}</template
      ><template v-if="data.company"
        >; company from {{ data.company.from === 'record' ? 'record field' : 'user attribute' }}
        <code>{{ data.company.name }}</code></template
      >.
    </p>
    <ProblemNote v-if="problem" :problem="problem" />
    <template v-if="person?.isAdministrator">
      <p v-if="!isChanging" class="more">
        <Button size="small" @click="isChanging = true">Edit app</Button>
        <ConfirmAction is-dangerous title="Delete this app? Its placements are kept." ok-text="Delete" @confirm="go"
          ><Button size="small" danger :loading="busy === 'go'">Delete</Button></ConfirmAction
        >
      </p>
      <AppSetupForm v-else :app="data" @saved="saved" @close="isChanging = false" />
    </template>
    <h2>Placements</h2>
    <p v-if="data.places.length === 0" class="quiet">None. Create a placement of type “app”, then add it.</p>
    <section v-for="one in data.places" :key="one.placement" class="place">
      <h3>
        <RouterLink :to="`/placements/${one.placement}`">{{ one.title }}</RouterLink>
      </h3>
      <p class="quiet">
        {{ placementLabel(one) }}<template v-if="one.inPanel"> · available in side panels</template
        ><template v-if="one.offers.length > 0"> · alternatives: {{ one.offers.map(titleOf).join(', ') }}</template>
      </p>
      <p v-if="mayEdit && changed !== one.placement" class="more">
        <Button size="small" :aria-label="`Edit ${one.title}`" @click="changed = one.placement">Edit</Button>
        <Button
          size="small"
          :aria-label="`Remove ${one.title}`"
          :loading="busy === 'out'"
          @click="takeOut(one.placement)"
          >Remove</Button
        >
      </p>
      <AppPlacementForm
        v-if="changed === one.placement"
        :path="`${path()}/placements/${one.placement}`"
        :place="one"
        :others="data.places.filter((other) => other.placement !== one.placement)"
        @saved="saved"
        @close="changed = undefined"
      />
      <CompanyVariants
        v-if="one.offers.length > 0 && data.company"
        :app="data"
        :place="one"
        :may-edit="mayEdit"
        @changed="reload"
      />
    </section>
    <form v-if="mayEdit && free.length > 0" class="more" @submit.prevent>
      <label
        >Add placement
        <select
          class="plain"
          :value="''"
          @change="
            attempt('out', async () => {
              await call('PUT', `${path()}/placements/${($event.target as HTMLSelectElement).value}`, {});
              await reload();
            })
          "
        >
          <option value="" disabled>placement of type app</option>
          <option v-for="one in free" :key="one.name" :value="one.name">{{ one.title }}</option>
        </select>
      </label>
    </form>
  </template>
</template>

<style scoped>
.state {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 0.9rem;
  align-items: center;
}
.off {
  color: var(--signal);
}
.place {
  border-top: 1px solid var(--line);
  padding: 0.7rem 0;
}
h3 {
  font-size: 1.05rem;
  margin: 0;
}
.place p {
  margin: 0.2rem 0;
}
</style>
