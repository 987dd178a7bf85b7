import { all, one, plain, type App } from '../platform/index.ts';
import { calendars, holidays, type HolidayList, type CalendarRow } from './models.ts';

export async function listHolidays(app: App): Promise<HolidayList[]> {
  return all(holidays(app).findAll({ order: ['name'] }));
}

export async function findHolidays(app: App, name: string): Promise<HolidayList | undefined> {
  return one(holidays(app).findByPk(name));
}

export async function putHolidays(app: App, list: HolidayList): Promise<void> {
  await holidays(app).upsert(list);
}

export async function removeHolidays(app: App, name: string): Promise<void> {
  await holidays(app).destroy({ where: { name } });
}

/** Makes somebody's calendar address; the one before stops working. */
export async function putCalendar(app: App, personId: string, fingerprint: string): Promise<void> {
  const row = { personId, fingerprint, madeAt: new Date(app.now()), fetchedAt: null };
  await calendars(app).upsert(row);
}

export async function removeCalendar(app: App, personId: string): Promise<boolean> {
  return (await calendars(app).destroy({ where: { personId } })) > 0;
}

export async function findCalendar(app: App, personId: string): Promise<CalendarRow | undefined> {
  return one(calendars(app).findByPk(personId));
}

/** Whose calendar has this secret; that it was fetched is written down. */
export async function takeCalendar(app: App, fingerprint: string): Promise<string | undefined> {
  const row = await calendars(app).findOne({ where: { fingerprint } });
  if (!row) return undefined;
  await row.update({ fetchedAt: new Date(app.now()) });
  return plain(row).personId;
}
