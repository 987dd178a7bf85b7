export { writeCalendar, type CalendarEvent } from './calendarFile.ts';
export { scheduleRoutes } from './routes.ts';
export { findHolidays, listHolidays, type HolidayList } from './store.ts';
