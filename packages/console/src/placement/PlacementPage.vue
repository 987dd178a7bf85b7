<script setup lang="ts">
import { Button, Checkbox, Spin } from 'ant-design-vue';
import { computed, reactive, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { ListedBoard } from '@underbell/core/board';
import { placeKinds } from '@underbell/core/access';
import {
  placementLabel,
  placementThemes,
  type ColumnSwaps,
  type PlacedThing,
  type PlacementLook,
  type ShownPlacement,
} from '@underbell/core/placement';
import type { ShownReport } from '@underbell/core/report';
import type { Catalogue } from '../board/FigureCatalogue.vue';
import { call } from '../platform/api.ts';
import ConfirmAction from '../platform/ConfirmAction.vue';
import ProblemNote from '../platform/ProblemNote.vue';
import DeleteButton from '../platform/DeleteButton.vue';
import { useAttempt } from '../platform/useAttempt.ts';
import { useResource } from '../platform/useResource.ts';
import { showCount, showInstant, showTimes } from '../platform/format.ts';
import LayoutFields from './LayoutFields.vue';
import LayoutPreview from './LayoutPreview.vue';
import type { Placeable } from './placeable.ts';
import PublicLinks from './PublicLinks.vue';
import ColumnSubstitutions from './ColumnSubstitutions.vue';
import ItemPicker from './ItemPicker.vue';

/** One placement: what it shows, how, to whom that led, and what a page's author pastes. */
const props = defineProps<{ name?: string }>();
const route = useRoute();
const router = useRouter();
const { busy, problem, attempt } = useAttempt<'save' | 'runAction'>();
const asked = (key: string) => (typeof route.query[key] === 'string' ? (route.query[key] as string) : undefined);
const { data, error, reload } = useResource<ShownPlacement>(() =>
  props.name === undefined ? undefined : `/api/v1/placements/${encodeURIComponent(props.name)}`,
);
const catalogue = useResource<{ reports: Catalogue }>('/api/v1/available-figures');
const boards = useResource<{ boards: ListedBoard[] }>('/api/v1/boards');

const form = reactive({
  name: '',
  title: '',
  kind: 'portal' as ShownPlacement['kind'],
  thing: undefined as PlacedThing | undefined,
  firstPage: '',
  edition: '',
  origins: '',
  where: {} as Record<string, string>,
  parameters: {} as Record<string, string>,
  hideBar: false,
  hidePages: false,
  theme: 'host' as string,
  maxHeight: '',
  arranged: {} as Pick<PlacementLook, 'hide' | 'figures' | 'isStacked'>,
  swaps: {} as ColumnSwaps,
});
const version = ref(0);
watch(data, (found) => {
  if (!found) return;
  const { report, page, figure, board } = found;
  Object.assign(form, {
    name: found.name,
    title: found.title,
    kind: found.kind,
    thing: {
      ...(report ? { report } : {}),
      ...(page ? { page } : {}),
      ...(figure ? { figure } : {}),
      ...(board ? { board } : {}),
    },
    firstPage: found.firstPage ?? '',
    edition: found.edition === undefined ? '' : String(found.edition),
    origins: found.origins.join('\n'),
    where: { ...found.where },
    parameters: { ...found.parameters },
    hideBar: found.look.hideBar === true,
    hidePages: found.look.hidePages === true,
    theme: found.look.theme ?? 'host',
    maxHeight: found.look.maxHeight === undefined ? '' : String(found.look.maxHeight),
    arranged: { hide: found.look.hide, figures: found.look.figures, isStacked: found.look.isStacked },
    swaps: found.swaps,
  });
  version.value++;
});
if (props.name === undefined) {
  const [report, board] = [asked('report'), asked('board')];
  if (report) form.thing = { report };
  else if (board) form.thing = { board };
}
const toName = (title: string) =>
  title
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60);
function choose({ thing, title }: Placeable): void {
  form.thing = thing;
  form.firstPage = '';
  form.edition = '';
  form.where = {};
  form.parameters = {};
  form.arranged = {};
  form.swaps = {};
  if (props.name !== undefined) return;
  form.title = title;
  form.name = toName(title);
}
const entry = computed(() => catalogue.data.value?.reports.find((one) => one.report === form.thing?.report));
const report = useResource<ShownReport>(() =>
  form.thing?.report === undefined ? undefined : `/api/v1/reports/${encodeURIComponent(form.thing.report)}`,
);
const editions = computed(() => (report.data.value?.editions ?? []).filter((one) => one.retiredAt === null));
const isWhole = computed(() => form.thing?.report !== undefined && form.thing.page === undefined);
const datasets = computed(() => entry.value?.datasets ?? Object.keys(form.where));

const filled = (pairs: Record<string, string>) =>
  Object.fromEntries(Object.entries(pairs).filter(([, value]) => value.trim() !== ''));
/** A page's figures, where it is one page that is placed. */
const figures = computed(() => {
  const { page, figure } = form.thing ?? {};
  if (figure !== undefined || entry.value === undefined) return [];
  const { pages } = entry.value;
  return (page === undefined ? undefined : pages.find((one) => one.name === page))?.figures ?? [];
});
function arranged(): PlacementLook {
  const { hide, figures: chosen, isStacked } = form.arranged;
  return {
    ...(hide && hide.length > 0 ? { hide } : {}),
    ...(figures.value.length > 1 && chosen ? { figures: chosen } : {}),
    ...(figures.value.length > 1 && isStacked ? { isStacked } : {}),
  };
}
/** A mend is saved at once: the frame shows what it does. */
async function mend(look: PlacementLook): Promise<void> {
  form.arranged = { hide: look.hide, figures: look.figures, isStacked: look.isStacked };
  form.hideBar = look.hideBar === true;
  await save();
}
const save = () =>
  attempt('save', async () => {
    const body = {
      kind: form.kind,
      title: form.title,
      ...form.thing,
      ...(isWhole.value && form.firstPage !== '' ? { firstPage: form.firstPage } : {}),
      ...(form.edition !== '' && form.thing?.report ? { edition: Number(form.edition) } : {}),
      origins: form.origins.split(/\s+/).filter(Boolean),
      where: filled(form.where),
      parameters: filled(form.parameters),
      swaps: form.swaps,
      look: {
        ...arranged(),
        ...(form.hideBar ? { hideBar: true } : {}),
        ...(form.hidePages ? { hidePages: true } : {}),
        ...(form.theme === 'host' ? {} : { theme: form.theme }),
        ...(form.maxHeight === '' ? {} : { maxHeight: Number(form.maxHeight) }),
      },
    };
    const name = props.name ?? form.name;
    await call('PUT', `/api/v1/placements/${encodeURIComponent(name)}`, body);
    if (props.name === undefined) await router.push(`/placements/${name}`);
    else await reload();
  });
const runAction = (act: 'suspend' | 'resume') =>
  attempt('runAction', async () => {
    await call('POST', `/api/v1/placements/${encodeURIComponent(props.name!)}/${act}`);
    await reload();
  });
const copied = ref('');
async function copy(text: string, what: string): Promise<void> {
  await navigator.clipboard.writeText(text);
  copied.value = what;
  window.setTimeout(() => (copied.value = ''), 2500);
}
const pieces = computed(() =>
  data.value
    ? [
        {
          what: 'Link (sign-in; oEmbed)',
          text: data.value.link,
        },
        { what: 'Iframe', text: data.value.frame },
        { what: 'Custom element', text: data.value.snippet },
      ]
    : [],
);
</script>

<template>
  <p class="crumbs"><RouterLink to="/placements">Placements</RouterLink></p>
  <ProblemNote v-if="error" :problem="error" />
  <Spin v-else-if="name !== undefined && !data" />
  <template v-else>
    <h1>{{ data?.title ?? 'Create placement' }}</h1>
    <template v-if="data">
      <p v-if="data.suspendedAt" role="status" class="rests">Suspended since {{ showInstant(data.suspendedAt) }}.</p>
      <p class="quiet">
        Type {{ data.kind }}, shows {{ placementLabel(data)
        }}<template v-if="data.madeBy">, created by {{ data.madeBy }} {{ showInstant(data.madeAt) }}</template
        >.
        <template v-if="data.use">
          <template v-if="data.use.lastSeenAt"
            >Last viewed {{ showInstant(data.use.lastSeenAt) }}; {{ showTimes(data.use.views) }} by
            {{ showCount(data.use.viewers) }} users in 30 days.</template
          >
          <template v-else>No views in 30 days.</template>
          <template v-if="data.use.dataAt"> Oldest data: {{ showInstant(data.use.dataAt) }}.</template>
        </template>
      </p>
      <ul v-if="data.use && (data.use.hosts.length > 0 || Object.keys(data.use.problems).length > 0)" class="used">
        <li v-for="one in data.use.hosts" :key="one.origin">
          Embedded in {{ one.origin }}, last {{ showInstant(one.seenAt) }}
        </li>
        <li v-for="(count, code) in data.use.problems" :key="code" class="bad">
          Problems in the last day: {{ code }}, {{ showTimes(count) }}
        </li>
      </ul>
      <h2>Layout</h2>
      <LayoutPreview
        :name="data.name"
        :title="data.title"
        :look="data.look"
        :is-page="figures.length > 1"
        :version="version"
        @mend="mend"
      />
      <h2>Snippets</h2>
      <div v-for="{ what, text } in pieces" :key="what" class="piece">
        <p>
          {{ what }} <Button size="small" @click="copy(text, what)">{{ copied === what ? 'Copied' : 'Copy' }}</Button>
        </p>
        <pre tabindex="0">{{ text }}</pre>
      </div>
      <p class="more">
        <RouterLink :to="`/placements/${data.name}/element`">Test the custom element</RouterLink>
        <RouterLink v-if="data.use" :to="`/placements/${data.name}/record`">Test with a record</RouterLink>
      </p>
      <PublicLinks v-if="data.kind === 'link' && data.use && data.report" :name="data.name" />
    </template>
    <h2>Content</h2>
    <ProblemNote v-if="catalogue.error.value" :problem="catalogue.error.value" />
    <ItemPicker
      :value="form.thing"
      :reports="catalogue.data.value?.reports ?? []"
      :boards="boards.data.value?.boards ?? []"
      @update:value="choose"
    />
    <form v-if="form.thing" class="form" @submit.prevent="save">
      <h2>Settings</h2>
      <div class="fields">
        <label>Title <input v-model="form.title" required maxlength="200" /></label>
        <label v-if="name === undefined"
          >Name (used in URLs) <input v-model="form.name" required pattern="[a-z][a-z0-9\-]*" maxlength="60"
        /></label>
        <label
          >Placement type
          <select v-model="form.kind">
            <option v-for="one in placeKinds" :key="one" :value="one">{{ one }}</option>
          </select>
        </label>
        <label v-if="isWhole && entry && entry.pages.length > 1"
          >Start page
          <select v-model="form.firstPage">
            <option value="">first page</option>
            <option v-for="page in entry.pages" :key="page.name" :value="page.name">{{ page.title }}</option>
          </select>
        </label>
        <label v-if="form.thing.report"
          >Edition
          <select v-model="form.edition">
            <option value="">always the current edition</option>
            <option v-for="one in editions" :key="one.number" :value="String(one.number)">
              {{ one.number }}, fixed
            </option>
          </select>
        </label>
        <label
          >Colours
          <select v-model="form.theme">
            <option v-for="one in placementThemes" :key="one" :value="one">
              {{ one === 'host' ? 'of the host page' : one }}
            </option>
          </select>
        </label>
        <label
          >Maximum height (px)
          <input v-model="form.maxHeight" type="number" min="120" max="4000" placeholder="no limit"
        /></label>
        <label class="wide"
          >Allowed origins, one per line
          <textarea v-model="form.origins" rows="2" placeholder="https://portal.example" />
        </label>
      </div>
      <p class="checks">
        <Checkbox v-model:checked="form.hideBar">Hide toolbar</Checkbox>
        <Checkbox v-if="isWhole" v-model:checked="form.hidePages">Hide page list</Checkbox>
      </p>
      <LayoutFields v-model="form.arranged" :figures="figures" />
      <template v-if="entry && entry.parameters.length > 0">
        <h2>Fixed parameters</h2>
        <div class="fields">
          <label v-for="one in entry.parameters" :key="one.name"
            >{{ one.label }} <input v-model="form.parameters[one.name]" placeholder="reader selects"
          /></label>
        </div>
      </template>
      <h2>Filters</h2>
      <p v-if="form.thing.board" class="quiet">
        Conditions on the datasets behind the board, as <code>quay_id = 'Q017'</code>; columns are checked when it is
        saved.
      </p>
      <div class="fields">
        <label v-for="one in datasets" :key="one"
          >{{ one }} <input v-model="form.where[one]" placeholder="all rows that the reader may see" spellcheck="false"
        /></label>
      </div>
      <h2>Columns</h2>
      <ColumnSubstitutions v-model="form.swaps" :datasets="datasets" />
      <ProblemNote v-if="problem" :problem="problem" />
      <p class="more">
        <Button type="primary" html-type="submit" :loading="busy === 'save'">{{
          name === undefined ? 'Create' : 'Save'
        }}</Button>
        <template v-if="data">
          <Button v-if="data.suspendedAt" :loading="busy === 'runAction'" @click="runAction('resume')">Resume</Button>
          <ConfirmAction
            v-else
            title="Suspend this placement? It is hidden until you resume it."
            ok-text="Suspend"
            @confirm="runAction('suspend')"
            ><Button :loading="busy === 'runAction'">Suspend</Button></ConfirmAction
          >
          <DeleteButton kind="placement" :name="data.name" to="/placements" @renamed="router.push('/placements')" />
        </template>
      </p>
    </form>
  </template>
</template>

<style scoped>
pre {
  background: var(--raised);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.6rem 0.8rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  margin: 0 0 0.8rem;
}
.piece p {
  margin: 0 0 0.3rem;
}
.used {
  padding-left: 1.2rem;
}
.rests,
.bad {
  color: var(--signal);
}
.checks {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 1.4rem;
  margin: 0.8rem 0 0;
}
</style>
