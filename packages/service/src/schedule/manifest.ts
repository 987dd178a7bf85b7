import type { Capability } from '../platform/index.ts';
import { holidays, calendars } from './models.ts';
import { calendarDoors } from './activeAccess.ts';

/** Recurrence, holidays and calendars; its routes stand where the things are that recur. */
export const schedule: Capability = { name: 'schedule', doors: [calendarDoors], models: [holidays, calendars] };
