import type { CheckedBurst } from '@underbell/core/burst/apiTypes';
import { computed, onBeforeUnmount, ref, watch, type Ref } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem, call } from '../platform/api.ts';
import { stepOf, toDefinition, type Draft } from './draft.ts';

/** Writing goes on for so long before it is looked at. */
const pauseMs = 400;

/**
 * Checks what is written as a whole, a moment after each change, by the same rules as when it is saved.
 *
 * @param before - the saved definition that the draft began as
 * @param isReady - whether the draft has begun
 */
export function useDraftCheck(draft: Draft, before: Ref<object>, isReady: Ref<boolean>) {
  const checked = ref<CheckedBurst>();
  const wrong = ref<ProblemDocument>();
  let timer: number | undefined;
  let newest = 0;

  async function check(): Promise<void> {
    const turn = ++newest;
    try {
      const found = await call<CheckedBurst>('POST', '/api/v1/bursts/check', toDefinition(draft, before.value));
      if (turn !== newest) return;
      checked.value = found;
      wrong.value = undefined;
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error;
      if (turn !== newest) return;
      checked.value = undefined;
      wrong.value = error.document;
    }
  }

  watch(
    [draft, isReady],
    () => {
      window.clearTimeout(timer);
      if (isReady.value && draft.report !== '') timer = window.setTimeout(() => void check(), pauseMs);
    },
    { deep: true },
  );
  onBeforeUnmount(() => window.clearTimeout(timer));

  /** Problems by step: each is shown where it is mended. */
  const problems = computed(() => {
    const document = wrong.value;
    if (!document) return new Map<number, string[]>();
    const all = document.problems?.length
      ? document.problems.map((one) => ({ at: one.at, words: `${one.at} ${one.message}`, hint: one.hint }))
      : [{ at: document.pointer, words: document.detail, hint: document.hint }];
    const found = new Map<number, string[]>();
    for (const { at, words, hint } of all) {
      const step = stepOf(at);
      found.set(step, [...(found.get(step) ?? []), hint ? `${words} – ${hint}` : words]);
    }
    return found;
  });
  return { checked, wrong, problems };
}
