import { onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import type { CheckedReport } from '@underbell/core/report';
import type { SeenReport } from '@underbell/core/preview';
import type { ViewResponse } from '@underbell/core/view';
import { ApiProblem, call, download } from '../platform/api.ts';

/** Pixels, or how else a definition is drawn. */
export type DrawnWidth = number | 'arrange' | 'print';

/** What a definition looks like while it is written. */
export interface Preview {
  /** What is wrong with it; what is drawn is from before. */
  readonly wrong: ProblemDocument | undefined;
  readonly drawn: ViewResponse | undefined;
  /** Why figures are not shown. */
  readonly withheld: string | undefined;
  /** Where the printed page lies in this browser. */
  readonly printed: string;
}

export interface PreviewOf {
  readonly text: Readonly<Ref<string>>;
  readonly kind: Readonly<Ref<'report' | 'board' | undefined>>;
  /** Through whose eyes, by address; one's own when it is empty. */
  readonly as: Readonly<Ref<string>>;
  readonly page: Readonly<Ref<string | undefined>>;
  readonly isPrinted: Readonly<Ref<boolean>>;
}

/** Writing goes on for so long before it is looked at. */
const pauseMs = 300;

/** Draws a definition with real data and checks it, a moment after writing stops. */
export function usePreview({ text, kind, as, page, isPrinted }: PreviewOf) {
  const wrong = shallowRef<ProblemDocument>();
  const drawn = shallowRef<ViewResponse>();
  const withheld = ref<string>();
  const printed = ref('');
  const breaks = shallowRef<NonNullable<CheckedReport['breaks']>>([]);
  let newest = 0;
  let timer = 0;

  async function drawBoard(turn: number, body: object): Promise<void> {
    const view = await call<ViewResponse>('POST', '/api/v1/boards/preview', body);
    if (turn !== newest) return;
    drawn.value = view;
    withheld.value = undefined;
    breaks.value = [];
  }
  async function print(turn: number, body: object): Promise<void> {
    const file = await download('POST', '/api/v1/reports/preview/print', body);
    if (turn !== newest) return;
    URL.revokeObjectURL(printed.value);
    printed.value = URL.createObjectURL(file);
  }
  async function drawReport(turn: number, body: { readonly definition: object }): Promise<void> {
    const [found, checked] = await Promise.all([
      call<SeenReport>('POST', '/api/v1/reports/preview', body),
      call<CheckedReport>('POST', '/api/v1/reports/check', body.definition),
    ]);
    if (turn !== newest) return;
    drawn.value = found.view;
    withheld.value = found.withheld;
    breaks.value = checked.breaks ?? [];
    if (isPrinted.value) await print(turn, body);
  }
  async function look(): Promise<void> {
    const turn = ++newest;
    let definition: object;
    try {
      definition = JSON.parse(text.value) as object;
    } catch {
      // The editor says where the text is no JSON.
      return;
    }
    const eyes = as.value === '' ? {} : { as: as.value };
    try {
      if (kind.value === 'board') await drawBoard(turn, { definition, ...eyes });
      else await drawReport(turn, { definition, ...(page.value === undefined ? {} : { page: page.value }), ...eyes });
      if (turn === newest) wrong.value = undefined;
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error;
      if (turn === newest) wrong.value = error.document;
    }
  }
  watch([text, as, page, isPrinted], () => {
    window.clearTimeout(timer);
    if (text.value.trim() !== '') timer = window.setTimeout(() => void look(), pauseMs);
  });
  onBeforeUnmount(() => {
    window.clearTimeout(timer);
    URL.revokeObjectURL(printed.value);
  });
  return { wrong, drawn, withheld, printed, breaks };
}
