import ICAL from 'ical.js';
import { Refusal } from '@underbell/core/refusal';

// The library counts without the space that each folded line begins with.
ICAL.foldLength = 74;

/** A time in a calendar that is sent out. */
export interface CalendarEvent {
  readonly id: string;
  readonly at: Date;
  readonly title: string;
  readonly address: string;
}

/** Writes events as a calendar. @see RFC 5545 */
export function writeCalendar(events: readonly CalendarEvent[], now: number): string {
  const calendar = new ICAL.Component('vcalendar');
  calendar.updatePropertyWithValue('version', '2.0');
  calendar.updatePropertyWithValue('prodid', '-//Under Bell//Sending//EN');
  for (const { id, at, title, address } of events) {
    const event = new ICAL.Component('vevent');
    event.updatePropertyWithValue('uid', id);
    event.updatePropertyWithValue('dtstamp', ICAL.Time.fromJSDate(new Date(now), true));
    event.updatePropertyWithValue('dtstart', ICAL.Time.fromJSDate(at, true));
    event.updatePropertyWithValue('summary', title);
    event.updatePropertyWithValue('url', address);
    calendar.addSubcomponent(event);
  }
  return `${calendar.toString()}\r\n`;
}

/** Days of events that come again every year are taken from so many years. */
const years = 10;
const mostDays = 4_000;
const longestEvent = 60;

const dayOf = (time: ICAL.Time) => time.toString().slice(0, 10);

/**
 * The days of a calendar's all-day events, as calendars of holidays are handed round.
 *
 * @param thisYear - events that come again are followed from here on
 * @returns `YYYY-MM-DD`, ascending, each once
 * @throws {Refusal} `FILE_MALFORMED`, `FILE_EMPTY`
 */
export function readHolidays(text: string, thisYear: number): string[] {
  const days = new Set<string>();
  const add = (start: ICAL.Time, end: ICAL.Time) => {
    const day = start.clone();
    // The end is the first day that does not belong to it any more (RFC 5545, section 3.6.1).
    for (let i = 0; i < longestEvent && (i === 0 || day.compare(end) < 0); i++) {
      days.add(dayOf(day));
      day.adjust(1, 0, 0, 0);
    }
  };
  try {
    const calendar = new ICAL.Component(ICAL.parse(text) as never);
    for (const component of calendar.getAllSubcomponents('vevent')) {
      const event = new ICAL.Event(component);
      if (!event.startDate?.isDate) continue;
      if (!event.isRecurring()) {
        add(event.startDate, event.endDate);
        continue;
      }
      const occurrences = event.iterator();
      for (let next = occurrences.next(); next && next.year < thisYear + years; next = occurrences.next()) {
        const { startDate, endDate } = event.getOccurrenceDetails(next);
        if (next.year >= thisYear) add(startDate, endDate);
        if (days.size > mostDays) break;
      }
    }
  } catch (cause) {
    throw new Refusal(
      'FILE_MALFORMED',
      'The file is not a valid calendar.',
      { hint: 'Save it as iCalendar (.ics), or write one day per line, like 2026-12-25.' },
      { cause },
    );
  }
  if (days.size === 0)
    throw new Refusal('FILE_EMPTY', 'The calendar has no all-day events.', {
      hint: 'Holidays are events without a time.',
    });
  return [...days].sort().slice(0, mostDays);
}
