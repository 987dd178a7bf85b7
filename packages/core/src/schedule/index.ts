export { checkRecurrence, daysLater, nextInstants, recurrenceWords, type Recurrence } from './recurrence.ts';
