export type { HolidayList } from './models.ts';
export { writeCalendar, type CalendarEvent } from './calendarFile.ts';
export { findHolidays, listHolidays } from './store.ts';
export { dropCalendar, makeCalendar, ownerOfCalendar, showCalendar } from './calendar.ts';
export { dropHolidays, saveHolidays, type HolidayWish } from './holidays.ts';
