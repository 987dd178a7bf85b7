import { computed, onBeforeUnmount, shallowRef, watch, type Ref } from 'vue';
import { call } from '../platform/api.ts';
import { useResource } from '../platform/useResource.ts';
import type { DeliveryLog, ShownRun } from '@underbell/core/burst/apiTypes';
import { isActive } from './shapes.ts';

const followEveryMs = 800;
/** A ledger may hold ten thousand lines: it is fetched so seldom while the run goes on, and once when it has ended. */
const ledgerEveryMs = 8_000;

/** A run with its ledger, followed while it goes on: how far it is often, its ledger now and then. */
export function useRun(id: Ref<number | undefined>) {
  const resource = useResource<DeliveryLog>(() => (id.value === undefined ? undefined : `/api/v1/runs/${id.value}`));
  const progress = shallowRef<ShownRun>();
  const data = computed<DeliveryLog | undefined>(() => {
    const ledger = resource.data.value;
    // Progress of another run, or from before the ledger ended, says nothing about this one.
    const newer = progress.value?.id === ledger?.id && ledger !== undefined && isActive(ledger) ? progress.value : {};
    return ledger && { ...ledger, ...newer };
  });
  const isFollowing = computed(() => data.value !== undefined && isActive(data.value));
  let timer: number | undefined;
  let ledgerAt = 0;
  const stop = () => window.clearTimeout(timer);
  /** The next look waits for the answer to this one: on a slow line, answers would otherwise overtake each other for ever. */
  async function follow(): Promise<void> {
    const asked = id.value;
    try {
      const found = await call<ShownRun>('GET', `/api/v1/runs/${asked}/progress`);
      if (asked !== id.value) return;
      progress.value = found;
      if (!isActive(found) || performance.now() - ledgerAt > ledgerEveryMs) {
        ledgerAt = performance.now();
        await resource.reload();
      }
    } catch {
      // What keeps the run from being followed keeps its ledger from being fetched, which says so.
      await resource.reload();
    }
    if (isFollowing.value) timer = window.setTimeout(() => void follow(), followEveryMs);
  }
  watch(isFollowing, (follows) => {
    stop();
    ledgerAt = performance.now();
    if (follows) timer = window.setTimeout(() => void follow(), followEveryMs);
  });
  onBeforeUnmount(stop);
  return { ...resource, data, isFollowing };
}
