import { onBeforeUnmount, ref, shallowRef, toValue, watch, type MaybeRefOrGetter } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import { ApiProblem, call } from './api.ts';

/**
 * Something that the API answers: fetched when the path changes, answers that come too late ignored.
 *
 * @param path - nothing is fetched while it is undefined
 */
export function useResource<T>(path: MaybeRefOrGetter<string | undefined>) {
  const data = shallowRef<T>();
  const error = shallowRef<ProblemDocument>();
  const isLoading = ref(false);
  let newest = 0;

  async function reload(): Promise<void> {
    const address = toValue(path);
    const turn = ++newest;
    if (address === undefined) return;
    isLoading.value = true;
    try {
      const found = await call<T>('GET', address);
      if (turn !== newest) return;
      data.value = found;
      error.value = undefined;
    } catch (thrown) {
      if (turn !== newest) return;
      if (!(thrown instanceof ApiProblem)) throw thrown;
      error.value = thrown.document;
    } finally {
      if (turn === newest) isLoading.value = false;
    }
  }

  watch(
    () => toValue(path),
    () => {
      data.value = undefined;
      void reload();
    },
    { immediate: true },
  );
  onBeforeUnmount(() => newest++);
  return { data, error, isLoading, reload };
}
