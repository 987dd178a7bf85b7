import type { ScreenState, ShownNow } from './apiTypes.ts';

/** After so long without a beat a screen is silent: it missed two of them. */
export const silentMs = 150_000;

const minuteMs = 60_000;
const ago = (ms: number) =>
  ms < 120 * minuteMs ? `${Math.round(ms / minuteMs)} minutes` : `${Math.round(ms / 3_600_000)} hours`;

/**
 * How a screen is doing, and why, by what it said last.
 *
 * @param screen.beatAt - of its last word, milliseconds since 1970-01-01T00:00:00Z
 * @param screen.wanted - by playlist, the revision that it should show
 */
export function stateOf(
  screen: {
    readonly isEnded: boolean;
    readonly beatAt: number | null;
    readonly shown: ShownNow | null;
    readonly wanted: Readonly<Record<string, number>>;
    readonly worryMs: number;
  },
  now: number,
): { readonly state: ScreenState; readonly why: string } {
  const { isEnded, beatAt, shown, wanted, worryMs } = screen;
  if (isEnded) return { state: 'closed', why: 'Unpaired' };
  if (beatAt === null) return { state: 'silent', why: 'Never connected' };
  if (now - beatAt > silentMs) return { state: 'silent', why: `No heartbeat for ${ago(now - beatAt)}` };
  if (shown?.lastError && (shown.errors ?? 0) > 0 && shown.slot === undefined)
    return { state: 'failing', why: shown.lastError };
  if (typeof shown?.asOf === 'number' && now - shown.asOf > worryMs)
    return { state: 'stale', why: `Data is ${ago(now - shown.asOf)} old` };
  const newest = shown?.playlist === undefined ? undefined : wanted[shown.playlist];
  if (newest !== undefined && shown?.revision !== undefined && shown.revision < newest)
    return { state: 'behind', why: `Shows version ${shown.revision}, current is ${newest}` };
  return { state: 'fine', why: 'Connected and up to date' };
}
