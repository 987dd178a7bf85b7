import type { Capability } from '../platform/index.ts';

/** Recurrence, holidays and calendars; its routes stand where the things are that recur. */
export const schedule: Capability = { name: 'schedule' };
