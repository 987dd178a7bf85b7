import { nextRuns, periodAt, readPeriod, repeatedPeriods, type BurstDefinition } from '@underbell/core/burst';
import type { PersonViewer } from '@underbell/core/access';
import { dateWriter } from '@underbell/core/format';
import { Refusal, suggest } from '@underbell/core/refusal';
import { recurrenceWords } from '@underbell/core/schedule';
import { visibleNames } from '../access/index.ts';
import type { App } from '../platform/index.ts';
import { findHolidays, listHolidays, writeCalendar, type CalendarEvent } from '../schedule/index.ts';
import { requireBurst } from './definition.ts';
import { changeNextRun, listBursts } from './store.ts';
import { type BurstTime, type BurstTimes } from '@underbell/core/burst/apiTypes';

/** The days that a burst's list of holidays holds. @throws {Refusal} `BURST_INVALID` for a list that does not exist */
export async function holidaysOf(app: App, { schedule }: BurstDefinition): Promise<ReadonlySet<string>> {
  const name = schedule?.holidays;
  if (name === undefined) return new Set();
  const list = await findHolidays(app, name);
  if (list) return new Set(list.days);
  throw new Refusal('BURST_INVALID', `There is no holiday calendar “${name}”.`, {
    pointer: '/schedule/holidays',
    word: name,
    ...suggest(
      name,
      (await listHolidays(app)).map((one) => one.name),
    ),
  });
}

/** When a burst runs next by itself. @returns milliseconds since 1970-01-01T00:00:00Z, ascending */
export async function nextTimes(app: App, definition: BurstDefinition, count: number): Promise<number[]> {
  if (!definition.schedule || definition.schedule.paused) return [];
  return nextRuns(definition.schedule, app.now(), count, await holidaysOf(app, definition));
}

/** Bursts whose schedule leaves out these holidays. */
export async function usersOfHolidays(app: App, holidays: string): Promise<string[]> {
  const all = await listBursts(app);
  return all.filter((one) => one.definition.schedule?.holidays === holidays).map((one) => one.name);
}

/** Settles anew when the bursts run next that leave out these holidays. */
export async function reschedule(app: App, holidays: string): Promise<void> {
  for (const { name, definition, nextRunAt } of await listBursts(app)) {
    if (definition.schedule?.holidays !== holidays) continue;
    // One that is due already is started, whatever was changed meanwhile.
    if (nextRunAt && nextRunAt.getTime() <= app.now()) continue;
    const [next] = await nextTimes(app, definition, 1);
    await changeNextRun(app, name, next === undefined ? null : new Date(next));
  }
}

export const shownTimes = 10;

/** When a burst runs by itself: in words, and the next times with the period that each is about. */
export async function timesOf(app: App, definition: BurstDefinition, count: number): Promise<BurstTimes<Date>> {
  const { schedule } = definition;
  const after = definition.afterRefresh ? 'after a refresh of its data, at most once a day' : undefined;
  if (!schedule) return { words: after ?? 'manually', times: [] };
  if (schedule.paused) return { words: ['schedule paused', ...(after ? [after] : [])].join(', but '), times: [] };
  const off = schedule.holidays
    ? [
        schedule.onHoliday === 'next'
          ? `moved past holidays of “${schedule.holidays}”`
          : `not on holidays of “${schedule.holidays}”`,
      ]
    : [];
  return {
    words: [[recurrenceWords(schedule), ...off].join(', '), ...(after ? [after] : [])].join(', and '),
    times: await timesWithPeriods(app, definition, count),
  };
}

/** An instant in words, as a schedule's own time zone has it. */
export const instantWords = ({ settings }: App, timeZone: string, at: number): string =>
  dateWriter(settings.locale, {
    weekday: 'long',
    day: 'numeric',
    month: 'long',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
    timeZoneName: 'short',
    timeZone,
  }).format(at);

async function timesWithPeriods(app: App, definition: BurstDefinition, count: number): Promise<BurstTime<Date>[]> {
  const { locale } = app.settings;
  const { timeZone } = definition.schedule!;
  const found = await nextTimes(app, definition, count);
  const periods = found.map((at) => periodAt(definition, at));
  const isRepeated = repeatedPeriods(periods);
  return found.map((at, i) => {
    const period = periods[i];
    const about =
      period === undefined ? {} : { period, periodWords: readPeriod(definition, period, { locale, timeZone }).words };
    return {
      at: new Date(at),
      words: instantWords(app, timeZone, at),
      ...about,
      // Nobody gets a period twice: a second time finds only those who have none yet.
      ...(isRepeated[i] ? { isRepeated: true } : {}),
    };
  });
}

async function eventsOf(app: App, definition: BurstDefinition): Promise<CalendarEvent[]> {
  const { name, title } = definition;
  const host = new URL(app.settings.publicUrl).hostname;
  const { times } = await timesOf(app, definition, shownTimes);
  return times.map(({ at, periodWords }) => ({
    id: `${name}-${at.toISOString().replace(/[-:]/g, '').slice(0, 15)}Z@${host}`,
    at,
    title: periodWords === undefined ? title : `${title}, ${periodWords}`,
    address: `${app.settings.publicUrl}/console/bursts/${name}`,
  }));
}

/** The next times as a calendar. @see RFC 5545 */
export async function timesAsCalendar(app: App, person: PersonViewer, name: string): Promise<string> {
  return writeCalendar(await eventsOf(app, await requireBurst(app, person, name, 'view')), app.now());
}

/** The next times of every burst that somebody may see, as the calendar that theirs subscribes to. */
export async function allAsCalendar(app: App, person: PersonViewer): Promise<string> {
  const all = (await listBursts(app)).filter((one) => one.definition.schedule);
  const seen = await visibleNames(
    app,
    person,
    'burst',
    all.map((one) => one.name),
  );
  const events = [];
  for (const { name, definition } of all) if (seen.includes(name)) events.push(...(await eventsOf(app, definition)));
  return writeCalendar(
    events.sort((a, b) => a.at.getTime() - b.at.getTime()),
    app.now(),
  );
}
