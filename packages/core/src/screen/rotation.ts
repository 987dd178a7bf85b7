/** A slot within a stretch, with the times at which it takes part; milliseconds since 1970-01-01T00:00:00Z. */
export interface TimedSlot<S> {
  readonly name: string;
  readonly seconds: number;
  readonly windows: readonly (readonly [from: number, until: number])[];
  /** What it is to whoever shows it. */
  readonly as: S;
}

/** A time through which one playlist, or one interruption, is shown. */
export interface Stretch<S> {
  readonly from: number;
  readonly until: number;
  readonly playlist?: string;
  readonly revision?: number;
  readonly interruption?: string;
  readonly slots: readonly TimedSlot<S>[];
}

/** The slot whose turn it is. */
export interface Turn<S> {
  readonly stretch: Stretch<S>;
  readonly slot: TimedSlot<S>;
  readonly from: number;
  readonly until: number;
}

/**
 * Whose turn it is at an instant. It hangs on the time alone: screens with one program change together, and one that
 * comes back goes on where the others are.
 *
 * @param at - milliseconds since 1970-01-01T00:00:00Z, by the service's clock
 * @param isLeftOut - slots that cannot be shown at the moment
 * @returns nothing where nothing is to be shown
 */
export function slotAt<S>(
  program: readonly Stretch<S>[],
  at: number,
  isLeftOut: (slot: TimedSlot<S>) => boolean = () => false,
): Turn<S> | undefined {
  const stretch = program.find((one) => one.from <= at && at < one.until);
  if (!stretch) return undefined;
  // Which slots take part changes at an edge: there the round begins anew.
  const edges = [stretch.from, stretch.until, ...stretch.slots.flatMap((one) => one.windows.flat())];
  const begins = Math.max(...edges.filter((one) => one <= at));
  const ends = Math.min(...edges.filter((one) => one > at));
  const slots = stretch.slots.filter(
    (one) => one.windows.some(([from, until]) => from <= at && at < until) && !isLeftOut(one),
  );
  const roundMs = slots.reduce((sum, one) => sum + one.seconds * 1000, 0);
  if (roundMs === 0) return undefined;
  let from = begins + Math.floor((at - begins) / roundMs) * roundMs;
  for (const slot of slots) {
    const until = from + slot.seconds * 1000;
    if (at < until) return { stretch, slot, from, until: Math.min(until, ends) };
    from = until;
  }
  return undefined;
}

/** The next instant at which something may change where nothing is shown. */
export function nextEdge<S>(program: readonly Stretch<S>[], at: number): number | undefined {
  const later = program.flatMap((one) => [one.from, one.until]).filter((one) => one > at);
  return later.length === 0 ? undefined : Math.min(...later);
}
