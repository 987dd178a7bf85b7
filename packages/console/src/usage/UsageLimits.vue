<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { reactive, ref } from 'vue';
import type { ShownCostLimit } from '@underbell/core/usage';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';

const { data, error, reload } = useResource<{ limits: ShownCostLimit[] }>('/api/v1/usage-limits');
const { data: folders } = useResource<{ folders: { name: string; title: string }[] }>('/api/v1/folders');
const { busy, problem, attempt } = useAttempt();
const isOpen = ref(false);
const wish = reactive({ folder: '', per: 'day', warn: '', stop: '' });

function change(one: ShownCostLimit): void {
  isOpen.value = true;
  Object.assign(wish, {
    folder: one.folder,
    per: one.per,
    warn: String(one.warnSeconds ?? ''),
    stop: String(one.stopSeconds ?? ''),
  });
}
const number = (name: string, text: string) => (text.trim() === '' ? {} : { [name]: Number(text) });
const save = () =>
  attempt('work', async () => {
    const { folder, per, warn, stop } = wish;
    await call('PUT', '/api/v1/usage-limits', {
      folder,
      per,
      ...number('warnSeconds', warn),
      ...number('stopSeconds', stop),
    });
    isOpen.value = false;
    await reload();
  });
const drop = (folder: string) =>
  attempt('work', async () => {
    await call('DELETE', `/api/v1/usage-limits/${encodeURIComponent(folder)}`);
    await reload();
  });
const share = (one: ShownCostLimit) => Math.min(1, one.usedSeconds / (one.stopSeconds ?? one.warnSeconds ?? 1));
const stateWords = { fine: 'fine', warned: 'near limit', stopped: 'stopped' } as const;
</script>

<template>
  <h2>Limits</h2>
  <p class="quiet">
    Limits of query and compute seconds per folder. Its owners get an email at the warning; beyond the limit its bursts
    and refreshes do not start. Viewing is never blocked.
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <p v-else-if="data && data.limits.length === 0" class="quiet">No limits.</p>
  <table v-else-if="data" class="limits">
    <thead>
      <tr>
        <th>Folder</th>
        <th>Used</th>
        <th>Status</th>
        <th>Edit</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in data.limits" :key="one.folder">
        <td>{{ one.folder }}</td>
        <td>
          <span class="used"
            ><i aria-hidden="true" :class="one.state" :style="{ width: `${8 * share(one)}rem` }" />{{ one.words }}</span
          >
        </td>
        <td :class="one.state">{{ stateWords[one.state] }}</td>
        <td>
          <Button size="small" @click="change(one)">Edit</Button>
          <Button size="small" type="text" :disabled="busy !== ''" @click="drop(one.folder)">Delete</Button>
        </td>
      </tr>
    </tbody>
  </table>
  <ProblemNote v-if="problem" :problem="problem" />
  <form v-if="isOpen" class="wish" @submit.prevent="save">
    <label
      >Folder
      <select v-model="wish.folder" class="plain" required>
        <option value="" disabled>select one</option>
        <option v-for="one in folders?.folders ?? []" :key="one.name" :value="one.name">{{ one.title }}</option>
      </select></label
    >
    <label
      >per
      <select v-model="wish.per" class="plain">
        <option value="day">day</option>
        <option value="month">month</option>
      </select></label
    >
    <label>Warn at <input v-model="wish.warn" inputmode="decimal" size="6" /> s</label>
    <label>Block at <input v-model="wish.stop" inputmode="decimal" size="6" /> s</label>
    <Button type="primary" html-type="submit" :loading="busy !== ''">Save</Button>
    <Button type="text" @click="isOpen = false">Cancel</Button>
  </form>
  <Button v-else @click="isOpen = true">Create limit</Button>
</template>

<style scoped>
.limits {
  border-collapse: collapse;
  margin: 0.4rem 0 0.8rem;
}
.limits th,
.limits td {
  padding: 0.3rem 1.2rem 0.3rem 0;
  text-align: left;
  border-bottom: 1px solid var(--line);
}
.used {
  display: flex;
  align-items: center;
  gap: 0.5rem;
}
.used i {
  height: 0.7rem;
  min-width: 1px;
  border-radius: 2px;
  background: var(--sea);
}
.used i.warned {
  background: var(--brass);
}
.used i.stopped {
  background: var(--signal);
}
td.warned {
  color: var(--brass);
  font-weight: 600;
}
td.stopped {
  color: var(--signal);
  font-weight: 600;
}
.wish {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem 1.1rem;
  align-items: center;
  margin: 0.6rem 0;
}
</style>
