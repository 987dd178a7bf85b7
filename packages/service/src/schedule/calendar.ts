import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { findPerson } from '../access/index.ts';
import { fingerprint, randomKey, remember, type App } from '../platform/index.ts';
import { findCalendar, putCalendar, removeCalendar, takeCalendar } from './store.ts';

const audit = (person: PersonViewer, what: string, origin: string) => ({
  who: person.email,
  what,
  thing: `person ${person.email}`,
  origin,
});

/** Makes the secret address of somebody's calendar; it is told once, and the one before stops working. */
export async function makeCalendar(app: App, person: PersonViewer, origin: string) {
  const key = randomKey('ubk');
  await app.records.transaction(async () => {
    await putCalendar(app, person.id, fingerprint(key));
    await remember(app, audit(person, 'calendar feed created', origin));
  });
  return { address: `${app.settings.publicUrl}/calendar/${key}.ics` };
}

export async function dropCalendar(app: App, person: PersonViewer, origin: string): Promise<void> {
  await app.records.transaction(async () => {
    if (await removeCalendar(app, person.id)) await remember(app, audit(person, 'calendar feed revoked', origin));
  });
}

/** Since when somebody's calendar has an address, and when it was last fetched. */
export async function showCalendar(app: App, person: PersonViewer) {
  const found = await findCalendar(app, person.id);
  return { calendar: found ? { madeAt: found.madeAt, fetchedAt: found.fetchedAt } : null };
}

/** Whose calendar an address is. @throws {Refusal} `NOT_FOUND` for one that was taken back, or of somebody who left */
export async function ownerOfCalendar(app: App, key: string): Promise<PersonViewer> {
  const id = await takeCalendar(app, fingerprint(key));
  const person = id === undefined ? undefined : await findPerson(app, { id });
  if (person) return person;
  throw new Refusal('NOT_FOUND', 'This calendar feed was revoked.', {
    hint: 'Create a new one in the console, under Bursts, Calendars.',
  });
}
