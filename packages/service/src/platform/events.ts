import type { App } from './app.ts';
import type { EventName, Events } from './eventNames.ts';
import { enqueue } from './queue.sql.ts';

const isFor = ' for ';

/** The kind of the job by which a capability hears of an event. */
export const eventJob = (event: EventName, hearer: string) => `${event}${isFor}${hearer}`;

export const isEventJob = (kind: string): boolean => kind.includes(isFor);

/**
 * Tells an event to every capability that hears of it. It is written in the transaction around it, and so is told when and
 * only when what happened stays; each hearer has a job of its own, which is tried again without the others.
 */
export async function emit<Name extends EventName>(app: App, event: Name, told: Events[Name]): Promise<void> {
  for (const hearer of app.hearersOf(event)) await enqueue(app, eventJob(event, hearer), told);
}
