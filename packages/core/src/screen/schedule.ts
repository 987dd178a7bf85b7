import { nextInstants, type Recurrence } from '../schedule/index.ts';
import { recurrenceOf, type Hours, type Span } from './playlist.ts';
import type { Stretch } from './rotation.ts';

/** From an instant to another, the second excluded; milliseconds since 1970-01-01T00:00:00Z. */
export type Window = readonly [from: number, until: number];

const minuteMs = 60_000;
const dayMs = 86_400_000;
const atOnce = 8;
const mostWindows = 400;

/** The instants of a recurrence within a stretch of time, a few at a time: most have one or two a day. */
function beginsOf(recurrence: Recurrence, [after, until]: Window): number[] {
  const found: number[] = [];
  for (let last = after; found.length < mostWindows;) {
    const next = nextInstants(recurrence, last, atOnce);
    found.push(...next.filter((at) => at < until));
    last = next.at(-1) ?? Infinity;
    if (next.length < atOnce || last >= until) break;
  }
  return found;
}

function merged(windows: readonly Window[]): Window[] {
  const found: [number, number][] = [];
  for (const [from, until] of windows.toSorted((a, b) => a[0] - b[0])) {
    const last = found.at(-1);
    if (last && from <= last[1]) last[1] = Math.max(last[1], until);
    else found.push([from, until]);
  }
  return found;
}

const cut = (windows: readonly Window[], [from, until]: Window): Window[] =>
  windows.flatMap(([a, b]) => {
    const one: Window = [Math.max(a, from), Math.min(b, until)];
    return one[0] < one[1] ? [one] : [];
  });

/** When hours hold within a stretch of time; always where there are none. @param timeZone - of the screen */
export function windowsOf(hours: readonly Hours[] | undefined, timeZone: string, within: Window): Window[] {
  if (!hours) return [within];
  // A day that lies before on every wall clock.
  const day = new Date(within[0] - 10 * dayMs).toISOString().slice(0, 10);
  const all = hours.flatMap((one) => {
    const { rule, start, minutes } = recurrenceOf(one, day);
    const lastsMs = minutes * minuteMs;
    return beginsOf({ rule, start, timeZone }, [within[0] - lastsMs - 1, within[1]]).map((at): Window => [
      at,
      at + lastsMs,
    ]);
  });
  return cut(merged(all), within);
}

/** The instant at which a day begins on a wall clock. */
function dayStart(day: string, timeZone: string): number {
  const [at] = nextInstants({ rule: 'FREQ=DAILY;COUNT=1', start: `${day}T00:00`, timeZone }, 0);
  return at!;
}

const nextDay = (day: string) => new Date(Date.parse(`${day}T00:00:00Z`) + dayMs).toISOString().slice(0, 10);

/** The time between two days. */
function spanOf({ from, until }: Span, timeZone: string): Window {
  return [
    from === undefined ? -Infinity : dayStart(from, timeZone),
    until === undefined ? Infinity : dayStart(nextDay(until), timeZone),
  ];
}

/** A playlist that was published to a screen, first the one that goes before the others. */
export interface PublishedPlaylist<S> {
  readonly playlist: string;
  readonly revision: number;
  readonly hours?: readonly Hours[];
  readonly slots: readonly (Span & {
    readonly name: string;
    readonly seconds: number;
    readonly hours?: readonly Hours[];
    readonly as: S;
  })[];
}

/** What goes before every playlist for a while. */
export interface Interruption<S> {
  readonly id: string;
  readonly from: number;
  readonly until: number;
  readonly slot: { readonly name: string; readonly seconds: number; readonly as: S };
}

/**
 * What a screen shows within a stretch of time: an interruption first, then the first playlist whose hours hold. Where
 * nothing applies there is no stretch.
 *
 * @param within - at most a few days: every hour of it is laid out
 * @returns stretches in order of time, none over another
 */
export function programOf<S>(options: {
  readonly playlists: readonly PublishedPlaylist<S>[];
  readonly interruptions: readonly Interruption<S>[];
  readonly timeZone: string;
  readonly within: Window;
}): Stretch<S>[] {
  const { playlists, interruptions, timeZone, within } = options;
  const layers = [
    ...interruptions.map(({ id, from, until, slot }) => ({
      of: { interruption: id },
      windows: cut([[from, until]], within),
      slots: [{ ...slot, windows: [[from, until] as Window] }],
    })),
    ...playlists.map(({ playlist, revision, hours, slots }) => ({
      of: { playlist, revision },
      windows: windowsOf(hours, timeZone, within),
      slots: slots.map(({ name, seconds, as, hours: own, from, until }) => ({
        name,
        seconds,
        as,
        windows: cut(windowsOf(own, timeZone, within), spanOf({ from, until } as Span, timeZone)),
      })),
    })),
  ];
  const edges = [...new Set([...within, ...layers.flatMap((one) => one.windows.flat())])].sort((a, b) => a - b);
  const found: Stretch<S>[] = [];
  for (const [i, from] of edges.slice(0, -1).entries()) {
    const until = edges[i + 1]!;
    const first = layers.find(
      ({ windows, slots }) =>
        windows.some(([a, b]) => a <= from && until <= b) &&
        slots.some((one) => cut(one.windows, [from, until]).length > 0),
    );
    if (!first) continue;
    const slots = first.slots.map((one) => ({ ...one, windows: cut(one.windows, [from, until]) }));
    found.push({ from, until, ...first.of, slots: slots.filter((one) => one.windows.length > 0) });
  }
  return found;
}
