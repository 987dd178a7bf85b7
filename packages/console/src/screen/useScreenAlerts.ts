import type { ScreenCounts, ScreenState } from '@underbell/core/screen';
import { computed, shallowRef } from 'vue';
import { ApiProblem, call } from '../platform/api.ts';

const againMs = 60_000;
/** States of which somebody should know. */
const troubled: readonly ScreenState[] = ['silent', 'failing', 'stale', 'behind'];

const counts = shallowRef<ScreenCounts>();
/** Whoever is asked for last counts. */
let turn = 0;
let timer: ReturnType<typeof setTimeout> | undefined;

async function look(): Promise<void> {
  clearTimeout(timer);
  timer = setTimeout(() => void look(), againMs);
  const mine = ++turn;
  // Nobody looks at a page that is hidden.
  if (document.hidden) return;
  try {
    const answer = await call<{ counts: ScreenCounts }>('GET', '/api/v1/screen-counts');
    if (mine === turn) counts.value = answer.counts;
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error;
    if (mine === turn) counts.value = undefined;
  }
}

function stop(): void {
  clearTimeout(timer);
  turn++;
  counts.value = undefined;
}

/** With how many screens something is wrong; one for the whole console, asked for again and again while somebody may see it. */
export function useScreenAlerts() {
  const wrong = computed(() =>
    troubled.flatMap((state) => ((counts.value?.[state] ?? 0) > 0 ? [{ state, count: counts.value![state] }] : [])),
  );
  const wrongCount = computed(() => wrong.value.reduce((sum, one) => sum + one.count, 0));
  const allCount = computed(() =>
    Object.entries(counts.value ?? {}).reduce((sum, [state, count]) => sum + (state === 'closed' ? 0 : count), 0),
  );
  return { wrong, wrongCount, allCount, look, stop };
}
