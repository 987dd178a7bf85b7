<script setup lang="ts">
import { Button, Spin } from 'ant-design-vue';
import { computed, onMounted, reactive, ref, watch } from 'vue';
import type { ShownPlacement } from '@underbell/core/placement';
import ProblemNote from '../platform/ProblemNote.vue';
import { useResource } from '../platform/useResource.ts';

/** The element as a host's page has it: everything that it takes can be set, everything that it tells is listed. */
const props = defineProps<{ name: string }>();
const { data, error } = useResource<ShownPlacement>(() => `/api/v1/placements/${encodeURIComponent(props.name)}`);

const wish = reactive({ page: '', filter: '', parameters: '', record: '', scheme: '', height: '', copies: '1' });
const fields: readonly { readonly key: keyof typeof wish; readonly label: string; readonly hint: string }[] = [
  { key: 'page', label: 'page', hint: 'overview' },
  { key: 'filter', label: 'filter', hint: "quay_id = 'Q017'" },
  { key: 'parameters', label: 'parameters', hint: '{ "month": "2026-10" }' },
  { key: 'record', label: 'record', hint: '{ "quay": "Q017" }' },
  { key: 'height', label: 'height', hint: 'auto' },
];

interface Told {
  readonly at: string;
  readonly name: string;
  readonly detail: string;
}
const told = ref<Told[]>([]);
const mostTold = 40;
const place = ref<HTMLElement>();
const state = ref<'' | 'ready' | 'missing'>('');
const count = computed(() => Math.min(30, Math.max(1, Number(wish.copies) || 1)));
const attributes = computed(() =>
  Object.entries({
    page: wish.page,
    filter: wish.filter,
    parameters: wish.parameters,
    record: wish.record,
    scheme: wish.scheme,
    height: wish.height,
  }).filter(([, value]) => value.trim() !== ''),
);
function listen(element: HTMLElement): void {
  for (const name of ['ready', 'selection', 'problem', 'height'])
    element.addEventListener(name, (event) => {
      const detail = JSON.stringify((event as CustomEvent<object>).detail);
      told.value = [{ at: new Date().toLocaleTimeString(), name, detail }, ...told.value].slice(0, mostTold);
    });
}
/** Attributes of the same elements are changed: nothing is loaded anew. */
function draw(): void {
  if (!place.value || !data.value || state.value !== 'ready') return;
  const elements = [...place.value.children] as HTMLElement[];
  while (elements.length > count.value) elements.pop()!.remove();
  while (elements.length < count.value) {
    const made = document.createElement('under-bell');
    made.setAttribute('title', data.value.title);
    listen(made);
    elements.push(made);
    for (const [key, value] of attributes.value) made.setAttribute(key, value);
    made.setAttribute('src', `/v/${props.name}`);
    place.value.append(made);
  }
  for (const one of elements)
    for (const key of ['page', 'filter', 'parameters', 'record', 'scheme', 'height']) {
      const found = attributes.value.find(([name]) => name === key);
      if (!found) one.removeAttribute(key);
      else if (one.getAttribute(key) !== found[1]) one.setAttribute(key, found[1]);
    }
}
onMounted(() => {
  const script = document.createElement('script');
  script.type = 'module';
  script.src = '/element.js';
  script.addEventListener('load', () => (state.value = 'ready'));
  script.addEventListener('error', () => (state.value = 'missing'));
  document.head.append(script);
});
let timer = 0;
const pauseMs = 400;
watch([attributes, count, data, state, place], () => {
  window.clearTimeout(timer);
  timer = window.setTimeout(draw, pauseMs);
});

const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll('<', '&lt;');
const code = computed(() => {
  const { origin } = new URL(data.value!.link);
  const own = attributes.value.map(([key, value]) => `\n  ${key}="${escaped(value)}"`).join('');
  return [
    `<script type="module" src="${origin}/element.js"><\/script>`,
    `<under-bell src="${data.value!.link}"\n  token-url="/report-token" title="${escaped(data.value!.title)}"${own}></under-bell>`,
    '<script type="module">',
    "  const place = document.querySelector('under-bell');",
    "  place.addEventListener('selection', ({ detail }) => console.log(detail.figure, detail.values));",
    "  place.record = { quay: 'Q018' };",
    '<\/script>',
  ].join('\n');
});
const isCopied = ref(false);
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(code.value);
  isCopied.value = true;
  window.setTimeout(() => (isCopied.value = false), 2_500);
}
</script>

<template>
  <p class="crumbs">
    <RouterLink to="/placements">Placements</RouterLink>
    <RouterLink :to="`/placements/${name}`">{{ data?.title ?? name }}</RouterLink>
  </p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="!data" />
  <template v-else>
    <h1>Test the custom element</h1>
    <p class="quiet">
      Changes apply to the element below. It uses your session, not a token. Types:
      <a href="/element.d.ts">element.d.ts</a>.
    </p>
    <div class="fields">
      <label v-for="{ key, label, hint } in fields" :key="key"
        >{{ label }} <input v-model="wish[key]" :placeholder="hint" spellcheck="false"
      /></label>
      <label
        >scheme
        <select v-model="wish.scheme">
          <option value="">system</option>
          <option>light</option>
          <option>dark</option>
        </select>
      </label>
      <label>Number of elements <input v-model="wish.copies" type="number" min="1" max="30" /></label>
    </div>
    <h2>Events</h2>
    <ol class="told" aria-live="polite" tabindex="0" aria-label="Events">
      <li v-if="told.length === 0" class="quiet">No events.</li>
      <li v-for="(one, i) in told" :key="told.length - i">
        <span class="quiet">{{ one.at }}</span> <b>{{ one.name }}</b> <code>{{ one.detail }}</code>
      </li>
    </ol>
    <h2>Host page code</h2>
    <p>
      <Button size="small" @click="copy">{{ isCopied ? 'Copied' : 'Copy' }}</Button>
    </p>
    <pre tabindex="0">{{ code }}</pre>
    <h2>Preview</h2>
    <p v-if="state === 'missing'" role="alert">The element script cannot be loaded.</p>
    <div ref="place" class="place" />
  </template>
</template>

<style scoped>
.told {
  max-height: 9rem;
  overflow-y: auto;
  margin: 0;
  padding: 0.4rem 0.8rem;
  list-style: none;
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow-wrap: anywhere;
}
pre {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.6rem 0.8rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.place {
  display: grid;
  gap: 1rem;
}
</style>
