export { readDayLines } from './dayLines.ts';
export { checkRecurrence, daysLater, nextInstants, recurrenceWords, type Recurrence } from './recurrence.ts';

/** Days on which schedules that name the list do not run. */
export interface HolidayList {
  readonly name: string;
  readonly title: string;
  /** `YYYY-MM-DD`, ascending, each once. */
  readonly days: readonly string[];
}
