<script setup lang="ts">
import { Button } from 'ant-design-vue';
import { computed, reactive, ref, shallowRef } from 'vue';
import type { AppPlace, CompanyChoice, ShownApp } from '@underbell/core/app';
import type { RecordTry } from '@underbell/core/preview';
import { call } from '../platform/api.ts';
import ProblemNote from '../platform/ProblemNote.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { showInstant } from '../platform/format.ts';
import RecordOutcome from '../placement/RecordOutcome.vue';

/** What each company has in one place: default, until somebody chose for it; looked at first, and had back. */
const props = defineProps<{ app: ShownApp; place: AppPlace; mayEdit: boolean }>();
const emit = defineEmits<{ changed: [] }>();
const { busy, problem, attempt } = useAttempt<'choose' | 'back' | 'look'>();
const path = () =>
  `/api/v1/apps/${encodeURIComponent(props.app.name)}/placements/${encodeURIComponent(props.place.placement)}`;
const titleOf = (name: string | null) =>
  name === null ? 'default' : (props.app.places.find((one) => one.placement === name)?.title ?? name);
const now = computed(() => props.place.companies.filter((one) => one.counts));
const earlier = (company: string) => props.place.companies.filter((one) => one.company === company && !one.counts);
const numberOf = (company: string) => now.value.find((one) => one.company === company)?.id ?? 0;

const form = reactive({ company: '', shows: '' });
const record = reactive<Record<string, string>>({});
const tried = shallowRef<RecordTry>();
const looksAt = ref('');
const look = () =>
  attempt('look', async () => {
    const name = form.shows === '' ? props.place.placement : form.shows;
    // What is looked at is what would stand there, beside a record of that company.
    const field = props.app.company!;
    const sample = { ...record, ...(field.from === 'record' ? { [field.name]: form.company } : {}) };
    tried.value = await call<RecordTry>('POST', `/api/v1/placements/${encodeURIComponent(name)}/test`, {
      record: sample,
    });
    looksAt.value = `Preview: ${titleOf(form.shows === '' ? null : form.shows)} for ${form.company || 'a company'}`;
  });
const fields = computed(() => tried.value?.fields ?? []);
const choose = () =>
  attempt('choose', async () => {
    const { company, shows } = form;
    await call('PUT', `${path()}/variant`, {
      company,
      shows: shows === '' ? null : shows,
      expected: numberOf(company),
    });
    tried.value = undefined;
    Object.assign(form, { company: '', shows: '' });
    emit('changed');
  });
const back = ({ id, company }: CompanyChoice) =>
  attempt('back', async () => {
    await call('POST', `${path()}/variant/rollback`, { id, expected: numberOf(company) });
    emit('changed');
  });
</script>

<template>
  <div class="variants">
    <h4>Company variants</h4>
    <p class="quiet">Default: {{ place.title }}.</p>
    <ul>
      <li v-for="one in now" :key="one.id">
        <b>{{ one.company }}</b>: {{ titleOf(one.shows) }}
        <span class="quiet">{{ one.by }}, {{ showInstant(one.at) }}</span>
        <details v-if="earlier(one.company).length > 0">
          <summary>Earlier</summary>
          <ul>
            <li v-for="old in earlier(one.company)" :key="old.id">
              {{ titleOf(old.shows) }} <span class="quiet">{{ old.by }}, {{ showInstant(old.at) }}</span>
              <Button
                v-if="mayEdit"
                size="small"
                :aria-label="`Roll back: ${titleOf(old.shows)} for ${one.company}`"
                :loading="busy === 'back'"
                @click="back(old)"
                >Roll back</Button
              >
            </li>
          </ul>
        </details>
      </li>
    </ul>
    <form v-if="mayEdit" @submit.prevent="choose">
      <div class="fields">
        <label>Company <input v-model="form.company" required maxlength="200" list="known-companies" /></label>
        <datalist id="known-companies">
          <option v-for="one in now" :key="one.id" :value="one.company" />
        </datalist>
        <label
          >Variant
          <select v-model="form.shows">
            <option value="">default</option>
            <option v-for="one in place.offers" :key="one" :value="one">{{ titleOf(one) }}</option>
          </select>
        </label>
        <label v-for="one in fields.filter((field) => field.name !== app.company?.name)" :key="one.name"
          >Sample record field {{ one.name }} <input v-model="record[one.name]"
        /></label>
      </div>
      <ProblemNote v-if="problem" :problem="problem" />
      <p class="more">
        <Button :loading="busy === 'look'" @click="look">Preview</Button>
        <Button type="primary" html-type="submit" :loading="busy === 'choose'">Use for this company</Button>
      </p>
    </form>
    <template v-if="tried">
      <p>
        <b>{{ looksAt }}</b>
      </p>
      <RecordOutcome :tried="tried" :title="looksAt" @take="(field, value) => (record[field] = value)" />
    </template>
  </div>
</template>

<style scoped>
.variants {
  border-left: 3px solid var(--line);
  padding-left: 1rem;
  margin-top: 0.6rem;
}
h4 {
  font-size: 1rem;
  margin: 0;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0.3rem 0;
}
li {
  padding: 0.15rem 0;
}
</style>
