import { dateWriter } from './cells.ts';

/** No zone moves its clock within such a stretch; milliseconds. */
const stretchMs = 900_000;
const mostKept = 50_000;
const offsets = new Map<string, Map<number, number>>();

/** Whether there is a time zone of this name in the IANA database. */
export function isTimeZone(name: string): boolean {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: name }).resolvedOptions().timeZone !== '';
  } catch {
    return false;
  }
}

/** How far a zone's wall clock is ahead of UTC at an instant, milliseconds. @param at - milliseconds since 1970-01-01T00:00:00Z */
export function offsetAt(at: number, timeZone: string): number {
  const known = offsets.get(timeZone) ?? new Map<number, number>();
  offsets.set(timeZone, known);
  const stretch = Math.floor(at / stretchMs);
  const found = known.get(stretch);
  if (found !== undefined) return found;
  const words = dateWriter('en-US', { timeZone, timeZoneName: 'longOffset' }).format(at);
  const match = /GMT(?:([+-])(\d{2}):(\d{2})(?::(\d{2}))?)?$/.exec(words);
  const [, sign, hours = '0', minutes = '0', seconds = '0'] = match ?? [];
  const ahead = ((Number(hours) * 60 + Number(minutes)) * 60 + Number(seconds)) * 1000;
  const offset = sign === '-' ? -ahead : ahead;
  if (known.size >= mostKept) known.clear();
  known.set(stretch, offset);
  return offset;
}

const two = (value: number) => String(value).padStart(2, '0');

/**
 * An instant as files hold it: the wall clock of a zone with its offset, `2026-10-01T07:00:00+01:00`; microseconds where there
 * are any.
 *
 * @param at - milliseconds since 1970-01-01T00:00:00Z, with fractions for microseconds; ±Infinity stays `infinity`
 * @see RFC 3339
 */
export function writeInstant(at: number, timeZone: string): string {
  if (!Number.isFinite(at)) return at > 0 ? 'infinity' : '-infinity';
  const offset = offsetAt(at, timeZone);
  const whole = Math.floor(at / 1000) * 1000;
  const micros = Math.round((at - whole) * 1000);
  const text = new Date(whole + offset).toISOString().slice(0, -5);
  const ahead = Math.abs(Math.trunc(offset / 60_000));
  const sign = offset < 0 ? '-' : '+';
  const fraction = micros === 0 ? '' : `.${String(micros).padStart(6, '0')}`;
  return `${text}${fraction}${sign}${two(Math.floor(ahead / 60))}:${two(ahead % 60)}`;
}
