import { computed, onBeforeUnmount, ref, watch, type Ref } from 'vue';
import { useResource } from '../platform/useResource.ts';
import { isActive, type Ledger } from './shapes.ts';

const followEveryMs = 600;

/** A run with its ledger, followed while it goes on. */
export function useRun(id: Ref<number | undefined>) {
  const resource = useResource<Ledger>(() => (id.value === undefined ? undefined : `/api/v1/runs/${id.value}`));
  const isFollowing = computed(() => resource.data.value !== undefined && isActive(resource.data.value));
  const timer = ref<number>();
  const stop = () => window.clearInterval(timer.value);
  watch(isFollowing, (follows) => {
    stop();
    if (follows) timer.value = window.setInterval(() => void resource.reload(), followEveryMs);
  });
  onBeforeUnmount(stop);
  return { ...resource, isFollowing };
}
