import Joi from 'joi';
import { checkShape } from '../check/index.ts';
import { thingName } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import { checkRecurrence } from '../schedule/index.ts';
import { placeholdersIn } from './placeholders.ts';

/** Days of the week, as RFC 5545 writes them. */
export const weekDays = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] as const;
export type WeekDay = (typeof weekDays)[number];

/**
 * When something is shown, on the wall clock of the screen: days of the week from one time to another, past midnight where
 * the end comes first; or any recurrence (RFC 5545) with the minutes that each of its times lasts.
 */
export type Hours =
  | { readonly days?: readonly WeekDay[]; readonly from: string; readonly to: string }
  | { readonly rule: string; readonly start: string; readonly minutes: number };

/** Between two days, both included, on the wall clock of the screen. */
export interface Span {
  readonly from?: string;
  readonly until?: string;
}

/** A number of a report that stands within words. */
export interface WordValue {
  readonly report: string;
  readonly page: string;
  readonly figure: string;
  /** CQL2 text by dataset, as of a slot. */
  readonly where?: Readonly<Record<string, string>>;
  readonly parameters?: Readonly<Record<string, string>>;
}

/**
 * What a slot shows. A report without a page shows its first one; a figure stands alone. A board stands as it is saved now. A
 * picture or video stays in the version that it was published with. Words may hold what the screen says of itself, and values
 * of figures, each as `{name}`.
 */
export type SlotContent =
  | { readonly report: string; readonly page?: string; readonly figure?: string }
  | { readonly board: string }
  | { readonly media: string; readonly version?: number }
  | { readonly text: string; readonly values?: Readonly<Record<string, WordValue>> };

/** One entry of a playlist. */
export interface Slot extends Span {
  readonly name: string;
  /** What stands above it; the page's own title when left out. */
  readonly title?: string;
  readonly shows: SlotContent;
  /** CQL2 text by dataset; `screen('quay')` is what the screen says of itself. */
  readonly where?: Readonly<Record<string, string>>;
  readonly parameters?: Readonly<Record<string, string>>;
  readonly seconds: number;
  /** Always when left out. */
  readonly hours?: readonly Hours[];
}

/** What screens show one after the other, in the format `underbell-playlist/1`. */
export interface PlaylistDefinition {
  readonly format: 'underbell-playlist/1';
  readonly name: string;
  readonly title: string;
  readonly description?: string;
  /** When the whole playlist is shown; always when left out. */
  readonly hours?: readonly Hours[];
  readonly slots: readonly Slot[];
}

export const playlistFormat = 'underbell-playlist/1';
export const leastSeconds = 5;
export const mostSeconds = 3_600;

const thing = Joi.string().pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter').max(60);
const words = Joi.string().trim().min(1).max(200);
const clock = Joi.string().pattern(/^([01]\d|2[0-3]):[0-5]\d$|^24:00$/, 'a time, example: 06:00');
const day = Joi.string().pattern(/^\d{4}-\d{2}-\d{2}$/, 'a day, example: 2026-11-28');

const hours = Joi.array()
  .items(
    Joi.object({
      days: Joi.array()
        .items(Joi.string().valid(...weekDays))
        .min(1)
        .unique(),
      from: clock,
      to: clock,
      rule: Joi.string().max(500),
      start: Joi.string().max(25),
      minutes: Joi.number().integer().min(1).max(10_080),
    })
      .xor('from', 'rule')
      .and('from', 'to')
      .and('rule', 'start', 'minutes')
      .without('days', 'rule'),
  )
  .min(1)
  .max(20);

const conditions = Joi.object().pattern(Joi.string().max(60), Joi.string().max(16_384));
const parameters = Joi.object().pattern(Joi.string().max(63), Joi.string().max(1_000));
const known = Joi.string().max(63);

const wordValue = Joi.object({
  report: known.required(),
  page: known.required(),
  figure: known.required(),
  where: conditions,
  parameters,
});

const content = Joi.object({
  report: known,
  page: known,
  figure: known,
  board: known,
  media: known,
  version: Joi.number().integer().min(1),
  text: Joi.string().trim().min(1).max(2_000),
  values: Joi.object()
    .pattern(/^[a-z][a-z0-9_]{0,62}$/, wordValue)
    .min(1)
    .max(10),
})
  .xor('report', 'board', 'media', 'text')
  .with('figure', 'page')
  .with('page', 'report')
  .with('version', 'media')
  .with('values', 'text');

export const slotSchema = Joi.object({
  name: thing.required(),
  title: words,
  shows: content.required(),
  where: conditions,
  parameters,
  seconds: Joi.number().integer().min(leastSeconds).max(mostSeconds).required(),
  hours,
  from: day,
  until: day,
});

export const playlistSchema = Joi.object({
  $schema: Joi.string(),
  format: Joi.string().valid(playlistFormat).required(),
  name: thing.required(),
  title: words.required(),
  description: Joi.string().max(2_000),
  hours,
  slots: Joi.array().items(slotSchema).min(1).max(200).unique('name').required(),
});

/**
 * The recurrence that hours are, with the minutes that each of its times lasts.
 *
 * @param day - `YYYY-MM-DD`, on which those of some days of the week are counted from: a recurrence is walked from its start
 */
export function recurrenceOf(
  one: Hours,
  day = '2020-01-02',
): { readonly rule: string; readonly start: string; readonly minutes: number } {
  if ('rule' in one) return one;
  const [from, to] = [one.from, one.to].map((text) => Number(text.slice(0, 2)) * 60 + Number(text.slice(3)));
  const rule = one.days ? `FREQ=WEEKLY;BYDAY=${one.days.join(',')}` : 'FREQ=DAILY';
  return { rule, start: `${day}T${one.from}`, minutes: to! > from! ? to! - from! : to! - from! + 1_440 };
}

function checkHours(all: readonly Hours[] | undefined, pointer: string): void {
  all?.forEach((one, i) => {
    if ('from' in one && one.from === '24:00')
      throw new Refusal('PLAYLIST_INVALID', 'A day starts at 00:00.', {
        pointer: `${pointer}/${i}/from`,
        word: '24:00',
      });
    const { rule, start } = recurrenceOf(one);
    checkRecurrence({ rule, start, timeZone: 'UTC' });
  });
}

/** What a slot sets must be something that its content has. */
function checkSettings(slot: Slot, pointer: string): void {
  const { name, shows, where, parameters: set } = slot;
  const refuse = (at: string, message: string, hint?: string) => {
    throw new Refusal('PLAYLIST_INVALID', `Slot “${name}”: ${message}.`, {
      pointer: `${pointer}/${at}`,
      ...(hint === undefined ? {} : { hint }),
    });
  };
  const isData = 'report' in shows || 'board' in shows;
  if (where !== undefined && !isData)
    refuse('where', 'has no rows to filter', 'values in a text have their own filters');
  if (set !== undefined && !('report' in shows)) refuse('parameters', 'has no parameters', 'the board sets them');
  if (!('text' in shows)) return;
  const names = placeholdersIn(shows.text);
  for (const value of Object.keys(shows.values ?? {}))
    if (!names.includes(value)) refuse(`shows/values/${value}`, `has no placeholder “{${value}}”`);
}

/**
 * Checks a playlist as it is written, without looking at what it shows.
 *
 * @throws {Refusal} `PLAYLIST_INVALID`, `SCHEDULE_INVALID`, `SCHEDULE_NEVER`
 */
export function validatePlaylist(value: unknown): PlaylistDefinition {
  const { $schema: _, ...playlist } = checkShape<PlaylistDefinition & { $schema?: string }>(value, playlistSchema, {
    code: 'PLAYLIST_INVALID',
    what: 'the playlist has errors',
  });
  checkHours(playlist.hours, '/hours');
  playlist.slots.forEach((slot, i) => {
    checkHours(slot.hours, `/slots/${i}/hours`);
    if (slot.from !== undefined && slot.until !== undefined && slot.until < slot.from)
      throw new Refusal('PLAYLIST_INVALID', `Slot “${slot.name}” ends before it starts.`, {
        pointer: `/slots/${i}/until`,
        word: slot.until,
      });
    checkSettings(slot, `/slots/${i}`);
  });
  return playlist;
}
