import { defineRecord, plain, type App } from '../platform/index.ts';

/** Days on which schedules that name the list do not run. */
export interface HolidayList {
  readonly name: string;
  readonly title: string;
  /** `YYYY-MM-DD`, ascending, each once. */
  readonly days: readonly string[];
}

interface CalendarRow {
  personId: string;
  fingerprint: string;
  madeAt: Date;
  fetchedAt: Date | null;
}

const tables = (app: App) => ({
  holidays: defineRecord<HolidayList>(app.records, 'holidays', { name: 'key', title: 'text', days: 'json' }),
  calendars: defineRecord<CalendarRow>(app.records, 'calendars', {
    personId: 'key',
    fingerprint: 'text',
    madeAt: 'instant',
    fetchedAt: 'instant',
  }),
});

export async function listHolidays(app: App): Promise<HolidayList[]> {
  return (await tables(app).holidays.findAll({ order: ['name'] })).map(plain);
}

export async function findHolidays(app: App, name: string): Promise<HolidayList | undefined> {
  const row = await tables(app).holidays.findByPk(name);
  return row ? plain(row) : undefined;
}

export async function putHolidays(app: App, list: HolidayList): Promise<void> {
  await tables(app).holidays.upsert(list);
}

export async function removeHolidays(app: App, name: string): Promise<void> {
  await tables(app).holidays.destroy({ where: { name } });
}

/** Makes somebody's calendar address; the one before stops working. */
export async function putCalendar(app: App, personId: string, fingerprint: string): Promise<void> {
  const row = { personId, fingerprint, madeAt: new Date(app.now()), fetchedAt: null };
  await tables(app).calendars.upsert(row);
}

export async function removeCalendar(app: App, personId: string): Promise<boolean> {
  return (await tables(app).calendars.destroy({ where: { personId } })) > 0;
}

export async function findCalendar(app: App, personId: string): Promise<CalendarRow | undefined> {
  const row = await tables(app).calendars.findByPk(personId);
  return row ? plain(row) : undefined;
}

/** Whose calendar has this secret; that it was fetched is written down. */
export async function takeCalendar(app: App, fingerprint: string): Promise<string | undefined> {
  const row = await tables(app).calendars.findOne({ where: { fingerprint } });
  if (!row) return undefined;
  await row.update({ fetchedAt: new Date(app.now()) });
  return plain(row).personId;
}
