const minuteMs = 60_000;
const hourMs = 60 * minuteMs;

/** How old what is shown is. */
export interface Age {
  /** "as of 14:05 CET", or "as of 14:05 CET, 3 hours old". */
  readonly words: string;
  /** Older than the limit of its group. */
  readonly isWorrying: boolean;
}

/** As timetables write it, whatever the language, and in which zone. */
const clock = { hour: '2-digit', minute: '2-digit', hourCycle: 'h23', timeZoneName: 'short' } as const;

const howLong = (ms: number): string => {
  const [count, unit] =
    ms >= 48 * hourMs
      ? [Math.floor(ms / (24 * hourMs)), 'day']
      : ms >= hourMs
        ? [Math.floor(ms / hourMs), 'hour']
        : [Math.max(1, Math.floor(ms / minuteMs)), 'minute'];
  return `${count} ${unit}${count === 1 ? '' : 's'}`;
};

/** An instant as it is said on a wall: its time of day, with the day where that is another one. */
export function timeOnWall(
  at: number,
  now: number,
  { locale, timeZone }: { readonly locale: string; readonly timeZone: string },
): string {
  const day = (one: number) => new Intl.DateTimeFormat('en-CA', { timeZone, dateStyle: 'short' }).format(one);
  const form: Intl.DateTimeFormatOptions =
    day(at) === day(now) ? { ...clock } : { weekday: 'short', day: 'numeric', month: 'short', ...clock };
  return new Intl.DateTimeFormat(locale, { timeZone, ...form }).format(at);
}

/**
 * The age of what is shown, as it is read from five metres.
 *
 * @param asOf - when its rows were loaded, milliseconds since 1970-01-01T00:00:00Z
 * @param worryMs - from which age on it is said loudly
 */
export function ageOf(
  asOf: number,
  now: number,
  { worryMs, locale, timeZone }: { readonly worryMs: number; readonly locale: string; readonly timeZone: string },
): Age {
  const age = Math.max(0, now - asOf);
  const isWorrying = age > worryMs;
  return {
    words: `as of ${timeOnWall(asOf, now, { locale, timeZone })}${isWorrying ? `, ${howLong(age)} old` : ''}`,
    isWorrying,
  };
}
