import { defineModel, instant, json, key, nullable, refersTo, text, type RowOf } from '../platform/records/index.ts';

/** Days on which schedules that name the list do not run. */
export const holidays = defineModel('holidays', {
  name: key(text()),
  title: text(),
  /** `YYYY-MM-DD`, ascending, each once. */
  days: json<readonly string[]>(),
});
export type HolidayList = Readonly<RowOf<typeof holidays>>;

/** Secret addresses of calendars. */
export const calendars = defineModel('calendars', {
  personId: key(refersTo(text(), 'people', 'person')),
  fingerprint: text(),
  madeAt: instant(),
  fetchedAt: nullable(instant()),
});
export type CalendarRow = RowOf<typeof calendars>;
