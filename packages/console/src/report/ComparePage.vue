<script setup lang="ts">
import { Spin } from 'ant-design-vue';
import { computed, ref } from 'vue';
import type { EditionChange } from '@underbell/core/report';
import ChoiceField from '../platform/ChoiceField.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';

const props = defineProps<{ name: string; from: string; to: string }>();
const base = computed(() => `/api/v1/reports/${encodeURIComponent(props.name)}`);
const { data, error } = useResource<{
  changes: EditionChange[];
  breaks: { user: string; what: string }[];
  pages: { name: string; title: string }[];
}>(() => `${base.value}/compare?from=${props.from}&to=${props.to}`);
const chosen = ref<string>();
const page = computed(() => chosen.value ?? data.value?.pages[0]?.name);
const picture = (edition: string) =>
  `${base.value}/editions/${edition}/image${page.value ? `?page=${page.value}` : ''}`;
const missing = ref<Record<string, boolean>>({});
const signs = { added: '+', removed: '−', changed: '~' } as const;
const grouped = computed(() => {
  const kinds = ['report', 'dataset', 'parameter', 'measure', 'page', 'figure'] as const;
  return kinds.flatMap((what) => {
    const changes = data.value?.changes.filter((one) => one.what === what) ?? [];
    return changes.length > 0 ? [{ what, changes }] : [];
  });
});
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/reports">Reports</RouterLink> › <RouterLink :to="`/reports/${name}`">{{ name }}</RouterLink>
  </p>
  <h1>Edition {{ from }} and edition {{ to }}</h1>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!data" />
  <template v-else>
    <section v-if="data.breaks.length > 0" class="breaks">
      <h2>Affected items</h2>
      <ul>
        <li v-for="one in data.breaks" :key="one.user + one.what">
          <b>{{ one.user }}</b>: {{ one.what }}
        </li>
      </ul>
    </section>
    <h2>Changes</h2>
    <p v-if="grouped.length === 0" class="quiet">No differences.</p>
    <template v-for="group in grouped" :key="group.what">
      <h3>{{ group.what }}{{ group.changes.length > 1 ? 's' : '' }}</h3>
      <ul class="changes">
        <li v-for="one in group.changes" :key="one.name" :class="one.change">
          <span class="sign" aria-hidden="true">{{ signs[one.change] }}</span> <code>{{ one.name }}</code>
          {{ one.change }}
          <dl v-if="one.details.length > 0">
            <template v-for="detail in one.details" :key="detail.option">
              <dt>{{ detail.option }}</dt>
              <dd>
                <del v-if="detail.before">{{ detail.before }}</del> <ins v-if="detail.after">{{ detail.after }}</ins>
              </dd>
            </template>
          </dl>
        </li>
      </ul>
    </template>
    <h2>Side by side</h2>
    <label v-if="data.pages.length > 1" class="page"
      >Page
      <ChoiceField
        v-model:value="chosen"
        :options="data.pages.map((one) => ({ value: one.name, label: one.title }))"
        :placeholder="data.pages[0]!.title"
    /></label>
    <div class="pictures">
      <figure v-for="edition in [from, to]" :key="edition">
        <figcaption>Edition {{ edition }}</figcaption>
        <p v-if="missing[`${edition}/${page}`]" class="quiet">
          Page not available in this edition, or not with current data.
        </p>
        <img
          v-else
          :src="picture(edition)"
          :alt="`${page} in edition ${edition}`"
          @error="missing[`${edition}/${page}`] = true"
        />
      </figure>
    </div>
  </template>
</template>

<style scoped>
h3 {
  margin: 0.8rem 0 0.2rem;
  font-size: 1rem;
  text-transform: capitalize;
}
.changes {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 0.35rem;
}
.sign {
  display: inline-block;
  width: 1.1rem;
  font-weight: 600;
}
.added .sign {
  color: var(--good);
}
.removed .sign {
  color: var(--signal);
}
.changed .sign {
  color: var(--brass);
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0.15rem 0.9rem;
  margin: 0.2rem 0 0.3rem 1.4rem;
  font-size: 0.9375rem;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
del {
  color: var(--signal);
}
ins {
  color: var(--good);
  text-decoration: none;
}
.page {
  display: inline-flex;
  gap: 0.5rem;
  align-items: center;
  margin-bottom: 0.6rem;
}
.pictures {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 1rem;
}
figure {
  margin: 0;
}
img {
  width: 100%;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.breaks {
  border-left: 3px solid var(--signal);
  padding-left: 0.9rem;
}
</style>
