export { checkRecurrence, nextInstants, recurrenceWords, type Recurrence } from './recurrence.ts';
