import { store } from '../storage/store.ts';

const name = 'clock';
let offsetMs = 0;
let floorMs = 0;
let isKnown = false;
/** Of the page, whatever becomes of the device's clock. */
const begun = performance.now();

/** The service's time as far as it is known: never before what was known of it, so that a clock set back makes nothing new. */
export const serviceNow = (): number => Math.max(Date.now() + offsetMs, floorMs + (performance.now() - begun));
/** How far the device's own clock is ahead; milliseconds. */
export const clockErrorMs = (): number => Math.round(-offsetMs);
export const isClockKnown = (): boolean => isKnown;

/** Sets the clock by what the service said. @param now - milliseconds since 1970-01-01T00:00:00Z */
export function setClock(now: number): void {
  offsetMs = now - Date.now();
  // From here on what it says counts, not what was kept.
  floorMs = 0;
  isKnown = true;
}

/** Remembers the time, for a start without a network and with a clock that forgot it. */
export const keepClock = (): Promise<boolean> => store.put(name, { at: serviceNow(), offsetMs });

export async function restoreClock(): Promise<void> {
  const kept = await store.get<{ at: number; offsetMs: number }>(name);
  if (!kept || isKnown) return;
  floorMs = kept.at - (performance.now() - begun);
  offsetMs = kept.offsetMs;
}
