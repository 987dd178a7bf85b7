import type { PersonViewer } from '@underbell/core/access';
import { isDate } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { readDayLines } from '@underbell/core/schedule';
import { notFound, requireAuthor } from '../access/index.ts';
import { momentOf, remember, type App } from '../platform/index.ts';
import { runInThread } from '../platform/workerThread.ts';
import { findHolidays, listHolidays, putHolidays, removeHolidays } from './store.ts';
import type { HolidayList } from './models.ts';

/** A list of holidays: its days, or the text of a file that has them. */
export interface HolidayWish {
  readonly name: string;
  readonly title: string;
  readonly days?: readonly string[];
  readonly text?: string;
}

/** A year of holidays is read in milliseconds. */
const calendarBounds = { memoryMiB: 128, timeMs: 5_000 };

async function daysOf(app: App, { days, text }: HolidayWish): Promise<string[]> {
  if (text !== undefined) {
    if (!/^\s*BEGIN:VCALENDAR/i.test(text)) return readDayLines(text);
    const data = { text, thisYear: Number(momentOf(app).today.slice(0, 4)) };
    return runInThread(new URL('../../dist/calendarThread.mjs', import.meta.url), data, calendarBounds);
  }
  const odd = days!.find((day) => !isDate(day));
  if (odd !== undefined)
    throw new Refusal('INPUT_INVALID', `“${odd}” is not a valid day.`, {
      pointer: '/days',
      word: odd,
      hint: 'Example: 2026-12-25',
    });
  return [...new Set(days)].sort();
}

/** Saves a list of holidays; those who make bursts may. */
export async function saveHolidays(
  app: App,
  person: PersonViewer,
  wish: HolidayWish,
  origin: string,
): Promise<HolidayList> {
  await requireAuthor(app, person, 'burst');
  const before = await findHolidays(app, wish.name);
  const list = { name: wish.name, title: wish.title, days: await daysOf(app, wish) };
  await app.records.transaction(async () => {
    await putHolidays(app, list);
    const what = `holiday calendar saved, ${list.days.length} days`;
    const about = { who: person.email, what, thing: `holidays ${list.name}`, origin };
    await remember(app, { ...about, before: before?.days, after: list.days });
  });
  return list;
}

/** @param users - bursts that name the list @throws {Refusal} `NOT_FOUND`, `IN_USE` */
export async function dropHolidays(
  app: App,
  person: PersonViewer,
  name: string,
  users: readonly string[],
  origin: string,
): Promise<void> {
  await requireAuthor(app, person, 'burst');
  const before = await findHolidays(app, name);
  if (!before) {
    const known = (await listHolidays(app)).map((one) => one.name);
    throw notFound('list of holidays', name, known);
  }
  if (users.length > 0)
    throw new Refusal('IN_USE', `The holiday calendar is used by ${users.join(', ')}.`, { hint: 'Change them first.' });
  await app.records.transaction(async () => {
    await removeHolidays(app, name);
    const about = { who: person.email, what: 'holiday calendar deleted', thing: `holidays ${name}`, origin };
    await remember(app, { ...about, before: before.days });
  });
}
