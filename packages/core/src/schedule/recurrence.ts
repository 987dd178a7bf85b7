import { RRuleTemporal } from 'rrule-temporal';
import { Temporal } from 'temporal-polyfill';
import { isTimeZone } from '../format/index.ts';
import { Refusal } from '../refusal/index.ts';

/** A recurrence with the wall clock it is meant in. */
export interface Recurrence {
  /** RFC 5545 recurrence rule without its name: `FREQ=DAILY;BYHOUR=6;BYMINUTE=0`. */
  readonly rule: string;
  /** The first day and time on the wall clock, `2026-11-23T06:00`. */
  readonly start: string;
  /** IANA time zone. */
  readonly timeZone: string;
}

const startPattern = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2})?$/;
/** Rules in which every part is known; what hides elsewhere in the text is refused. */
const partPattern =
  /^(FREQ|INTERVAL|COUNT|UNTIL|BYSECOND|BYMINUTE|BYHOUR|BYDAY|BYMONTHDAY|BYYEARDAY|BYWEEKNO|BYMONTH|BYSETPOS|WKST)=[A-Z0-9,+-]+$/;
/** A rule that has nothing in so many steps has nothing at all. */
const mostSteps = 5_000;

const refuse = (message: string, details: { pointer: string; hint?: string; word?: string }) =>
  new Refusal('SCHEDULE_INVALID', message, details);

/** Which numbers a part may hold. @see RFC 5545, section 3.3.10 */
const ranges: Readonly<Record<string, readonly [least: number, most: number]>> = {
  INTERVAL: [1, 1_000],
  COUNT: [1, 100_000],
  BYSECOND: [0, 59],
  BYMINUTE: [0, 59],
  BYHOUR: [0, 23],
  BYMONTHDAY: [-31, 31],
  BYYEARDAY: [-366, 366],
  BYWEEKNO: [-53, 53],
  BYMONTH: [1, 12],
  BYSETPOS: [-366, 366],
};
const fromZero = new Set(['BYSECOND', 'BYMINUTE', 'BYHOUR']);
const weekDay = /^([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)$/;

function isInRange(name: string, value: string): boolean {
  if (name === 'BYDAY') {
    const match = weekDay.exec(value);
    const place = Number(match?.[1] ?? 1);
    return match !== null && place !== 0 && Math.abs(place) <= 53;
  }
  if (name === 'WKST') return /^(MO|TU|WE|TH|FR|SA|SU)$/.test(value);
  const range = ranges[name];
  if (range === undefined) return true;
  const number = Number(value);
  const fits = /^[+-]?\d{1,6}$/.test(value) && number >= range[0] && number <= range[1];
  return fits && (number !== 0 || fromZero.has(name));
}

function checkParts(rule: string): void {
  const names = new Set<string>();
  for (const part of rule.split(';')) {
    const word = part.slice(0, 60);
    if (!partPattern.test(part))
      throw refuse(`“${word}” is not a part of a recurrence.`, {
        pointer: 'rule',
        word,
        hint: 'Example: FREQ=DAILY;BYHOUR=6;BYMINUTE=0',
      });
    const [name, values] = part.split('=') as [string, string];
    if (names.has(name)) throw refuse(`“${name}” is in the recurrence twice.`, { pointer: 'rule', word });
    names.add(name);
    const wrong = values.split(',').find((one) => !isInRange(name, one));
    if (wrong !== undefined)
      throw refuse(`“${wrong}” is not a valid ${name}.`, {
        pointer: 'rule',
        word: wrong,
        ...(ranges[name] ? { hint: `from ${ranges[name][0]} to ${ranges[name][1]}` } : {}),
      });
  }
  if (names.has('UNTIL') && names.has('COUNT'))
    throw refuse('A recurrence has UNTIL or COUNT, not both.', { pointer: 'rule' });
  const frequency = /(?:^|;)FREQ=([A-Z]+)/.exec(rule)?.[1];
  if (!frequency || !['HOURLY', 'DAILY', 'WEEKLY', 'MONTHLY', 'YEARLY'].includes(frequency))
    throw refuse('A recurrence needs FREQ=HOURLY, DAILY, WEEKLY, MONTHLY or YEARLY.', {
      pointer: 'rule',
      ...(frequency ? { word: frequency } : {}),
    });
}

const untilPattern = /^(\d{4})(\d{2})(\d{2})(?:T(\d{2})(\d{2})(\d{2})(Z?))?$/;

/**
 * The rule with its end on the wall clock that it is meant in: `…Z` is an instant, a day is meant to its end.
 *
 * @see RFC 5545, section 3.3.10: UNTIL
 */
function onWallClock({ rule, timeZone }: Recurrence): string {
  return rule.replace(/(^|;)UNTIL=([^;]*)/, (_, before: string, until: string) => {
    const parts = untilPattern.exec(until);
    const wrong = () =>
      refuse(`“${until}” is not a day or timestamp.`, {
        pointer: 'rule',
        word: until,
        hint: 'Example: UNTIL=20261231, or UNTIL=20261231T060000Z',
      });
    if (!parts) throw wrong();
    const [, year, month, day, hour = '23', minute = '59', second = '59', utc] = parts;
    const text = `${year}-${month}-${day}T${hour}:${minute}:${second}`;
    let local: Temporal.PlainDateTime;
    try {
      local =
        utc === 'Z'
          ? Temporal.Instant.from(`${text}Z`).toZonedDateTimeISO(timeZone).toPlainDateTime()
          : Temporal.PlainDateTime.from(text, { overflow: 'reject' });
    } catch (cause) {
      throw new Refusal('SCHEDULE_INVALID', wrong().message, wrong().details, { cause });
    }
    return `${before}UNTIL=${local.toString({ smallestUnit: 'second' }).replace(/[-:]/g, '')}Z`;
  });
}

/** The rule over a wall clock that knows no daylight saving. */
function openRule(recurrence: Recurrence): RRuleTemporal {
  const { rule, start } = recurrence;
  checkParts(rule);
  const rruleString = onWallClock(recurrence);
  if (!startPattern.test(start))
    throw refuse(`“${start}” is not a date with time.`, {
      pointer: 'start',
      word: start,
      hint: 'Example: 2026-11-23T06:00',
    });
  try {
    const dtstart = Temporal.PlainDateTime.from(start).toZonedDateTime('UTC');
    return new RRuleTemporal({ rruleString, dtstart: dtstart as never });
  } catch (cause) {
    throw new Refusal(
      'SCHEDULE_INVALID',
      `The recurrence “${rule}” is not valid.`,
      { pointer: 'rule', word: rule },
      { cause },
    );
  }
}

function checkZone(timeZone: string): void {
  if (isTimeZone(timeZone)) return;
  throw new Refusal('SCHEDULE_INVALID', `There is no time zone “${timeZone}”.`, {
    pointer: 'timeZone',
    word: timeZone,
    hint: 'Example: Europe/Berlin',
  });
}

/**
 * The next instants of a recurrence.
 *
 * @param after - exclusive lower bound, milliseconds since 1970-01-01T00:00:00Z
 * @returns up to `count` instants, ascending; a local time that the zone skips moves forward by the gap (RFC 5545 would
 *   drop it; a refresh or delivery must not lose its day), one that comes twice is taken once, the first
 * @throws {Refusal} `SCHEDULE_INVALID`; `SCHEDULE_NEVER` when the rule has no instant at all
 * @see RFC 5545, section 3.3.10
 */
export function nextInstants(recurrence: Recurrence, after: number, count = 1): number[] {
  checkZone(recurrence.timeZone);
  const opened = openRule(recurrence);
  const toInstant = (local: { toPlainDateTime(): { toString(): string } }) =>
    Temporal.PlainDateTime.from(local.toPlainDateTime().toString()).toZonedDateTime(recurrence.timeZone, {
      disambiguation: 'compatible',
    }).epochMilliseconds;
  // The wall clock an hour or two earlier: a gap or an overlap may lie between.
  const wall = Temporal.Instant.fromEpochMilliseconds(after)
    .toZonedDateTimeISO(recurrence.timeZone)
    .toPlainDateTime()
    .subtract({ hours: 3 })
    .toZonedDateTime('UTC');
  const found: number[] = [];
  const next = (from: unknown, isInclusive: boolean): typeof at => {
    try {
      return opened.next(from as never, isInclusive) as never;
    } catch (error) {
      // The library gives up on a rule that has nothing in ten thousand steps.
      if (error instanceof Error && error.message.startsWith('Maximum iterations')) return null;
      throw error;
    }
  };
  let at: { toPlainDateTime(): { toString(): string } } | null = null;
  at = next(new Date(wall.epochMilliseconds), true);
  for (let step = 0; at && found.length < count && step < mostSteps; step++) {
    const instant = toInstant(at);
    if (instant > after && instant !== found.at(-1)) found.push(instant);
    at = next(at, false);
  }
  return found;
}

/** The same time on the wall clock so many days later. @param at - milliseconds since 1970-01-01T00:00:00Z */
export function daysLater(at: number, days: number, timeZone: string): number {
  return Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(timeZone).add({ days }).epochMilliseconds;
}

/** Checks a recurrence. @throws {Refusal} `SCHEDULE_INVALID`, `SCHEDULE_NEVER` */
export function checkRecurrence(recurrence: Recurrence): void {
  if (nextInstants(recurrence, 0).length === 0)
    throw new Refusal('SCHEDULE_NEVER', 'This recurrence has no occurrences.', {
      pointer: 'rule',
      word: recurrence.rule,
    });
}

const days: Readonly<Record<string, string>> = {
  MO: 'Monday',
  TU: 'Tuesday',
  WE: 'Wednesday',
  TH: 'Thursday',
  FR: 'Friday',
  SA: 'Saturday',
  SU: 'Sunday',
};
const listed = (words: readonly string[]) =>
  words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)!}`;

/** A recurrence in words: "every day at 06:00 (Europe/Berlin)". Rules beyond the usual are shown as they are. */
export function recurrenceWords({ rule, start, timeZone }: Recurrence): string {
  const parts = new Map(rule.split(';').map((part) => part.split('=') as [string, string]));
  const interval = Number(parts.get('INTERVAL') ?? 1);
  const frequency = parts.get('FREQ') ?? '';
  const unit = { HOURLY: 'hour', DAILY: 'day', WEEKLY: 'week', MONTHLY: 'month', YEARLY: 'year' }[frequency];
  const usual = ['FREQ', 'INTERVAL', 'BYHOUR', 'BYMINUTE', 'BYSECOND', 'BYDAY', 'BYMONTHDAY'];
  const byDay = parts.get('BYDAY')?.split(',') ?? [];
  if (!unit || [...parts.keys()].some((key) => !usual.includes(key)) || byDay.some((one) => !days[one]))
    return `${rule}, from ${start} (${timeZone})`;
  const every = interval === 1 ? `every ${unit}` : `every ${interval} ${unit}s`;
  const numbers = (key: string, usual: string) =>
    (parts.get(key) ?? usual)
      .split(',')
      .map(Number)
      .sort((a, b) => a - b)
      .map((one) => String(one).padStart(2, '0'));
  const minutes = numbers('BYMINUTE', start.slice(14, 16));
  const times = numbers('BYHOUR', start.slice(11, 13)).flatMap((hour) => minutes.map((minute) => `${hour}:${minute}`));
  const on =
    byDay.length > 0
      ? ` on ${listed(byDay.map((one) => days[one]!))}`
      : parts.has('BYMONTHDAY')
        ? ` on day ${listed(parts.get('BYMONTHDAY')!.split(','))}`
        : '';
  return frequency === 'HOURLY'
    ? `${every}${parts.has('BYHOUR') ? ` of ${listed(numbers('BYHOUR', ''))}` : ''} at minute${minutes.length > 1 ? 's' : ''} ${listed(minutes.map(String))}${on} (${timeZone})`
    : `${every}${on} at ${listed(times)} (${timeZone})`;
}
