import { computed, onBeforeUnmount, ref, type Ref } from 'vue';
import { formatInstant } from '@underbell/core/format';
import type { ViewResponse } from '@underbell/core/view';

const minute = 60_000;

/** How old what is shown is, and why where it is older than it should be. */
export function useDataAge(answer: Ref<ViewResponse | undefined>) {
  const now = ref(Date.now());
  const timer = window.setInterval(() => (now.value = Date.now()), minute);
  onBeforeUnmount(() => window.clearInterval(timer));

  const write = (at: string, taste: ViewResponse['taste']) => formatInstant(new Date(at), taste);

  const age = computed(() => {
    const { value } = answer;
    if (!value || value.datasets.length === 0) return '';
    if (value.datasets.every((one) => one.isLive)) return 'Live data';
    const oldest = value.datasets.filter((one) => !one.isLive).reduce((a, b) => (a.loadedAt < b.loadedAt ? a : b));
    return `Data as of ${write(oldest.loadedAt, value.taste)}`;
  });
  const stale = computed(() => {
    const { value } = answer;
    return (value?.datasets ?? []).flatMap((one) => {
      if (!one.staleSince || !value) return [];
      const hours = Math.max(1, Math.round((now.value - Date.parse(one.loadedAt)) / (60 * minute)));
      const old = hours < 48 ? `${hours} ${hours === 1 ? 'hour' : 'hours'}` : `${Math.round(hours / 24)} days`;
      return [
        `Data of ${one.dataset} is ${old} old. Refresh failed since ${write(one.staleSince, value.taste)}. ${one.staleReason ?? ''}`,
      ];
    });
  });
  return { age, stale };
}
