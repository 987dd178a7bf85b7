import type { ShownTemplate } from '@underbell/core/template';
import type { ShownDestination } from '@underbell/core/deliver';
import type { ListedList } from '@underbell/core/list';
import type { ListedReport, ShownReport } from '@underbell/core/report';
import { computed, reactive } from 'vue';
import { useResource } from '../platform/useResource.ts';
import type { Draft } from './draft.ts';

const alwaysFilled = ['period', 'period_words', 'run_day', 'run_time', 'burst', 'report', 'title'];

/** What may be chosen in the fields of a burst that is being written, by what is chosen already. */
export function useDraftOptions(draft: Draft) {
  const reports = useResource<{ reports: ListedReport[] }>('/api/v1/reports');
  const lists = useResource<{ lists: ListedList[] }>('/api/v1/lists');
  const destinations = useResource<{ destinations: ShownDestination[] }>('/api/v1/destinations');
  const templates = useResource<{ templates: ShownTemplate[] }>('/api/v1/workbook-templates');
  const report = useResource<ShownReport>(() =>
    draft.report === '' ? undefined : `/api/v1/reports/${encodeURIComponent(draft.report)}`,
  );
  const columns = computed(() => lists.data.value?.lists.find((one) => one.name === draft.list)?.columns ?? []);
  return reactive({
    reports: computed(() => reports.data.value?.reports ?? []),
    lists: computed(() => lists.data.value?.lists ?? []),
    templates: computed(() => templates.data.value?.templates ?? []),
    /** Destinations of the kind that is chosen. */
    places: computed(() => (destinations.data.value?.destinations ?? []).filter((one) => one.kind === draft.kind)),
    pages: computed(() => report.data.value?.definition.pages ?? []),
    parameters: computed(() => report.data.value?.definition.parameters ?? []),
    datasets: computed(() => Object.keys(report.data.value?.definition.datasets ?? {})),
    /** Columns of the list that is chosen. */
    columns,
    /** What names of files and words of letters are filled with, each as it is written there. */
    fills: computed(() => {
      const set = draft.parameters.map((one) => one.parameter);
      const parameters = [...draft.bind.map((one) => one.parameter), draft.periodParameter, ...set];
      const names = [...columns.value, ...parameters, ...alwaysFilled].filter((one) => one !== '');
      return [...new Set(names)].map((one) => `{${one}}`).join(' ');
    }),
  });
}

export type DraftChoices = ReturnType<typeof useDraftOptions>;
