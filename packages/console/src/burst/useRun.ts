import { computed, onBeforeUnmount, watch, type Ref } from 'vue';
import { useResource } from '../platform/useResource.ts';
import type { Ledger } from '@underbell/core/burst/answers';
import { isActive } from './shapes.ts';

const followEveryMs = 600;

/** A run with its ledger, followed while it goes on. */
export function useRun(id: Ref<number | undefined>) {
  const resource = useResource<Ledger>(() => (id.value === undefined ? undefined : `/api/v1/runs/${id.value}`));
  const isFollowing = computed(() => resource.data.value !== undefined && isActive(resource.data.value));
  let timer: number | undefined;
  const stop = () => window.clearTimeout(timer);
  /** The next look waits for the answer to this one: on a slow line, answers would otherwise overtake each other for ever. */
  async function follow(): Promise<void> {
    await resource.reload();
    if (isFollowing.value) timer = window.setTimeout(() => void follow(), followEveryMs);
  }
  watch(isFollowing, (follows) => {
    stop();
    if (follows) timer = window.setTimeout(() => void follow(), followEveryMs);
  });
  onBeforeUnmount(stop);
  return { ...resource, isFollowing };
}
