import type { PersonViewer } from '@underbell/core/access';
import { nextRuns, periodAt, readBurst, readPeriod } from '@underbell/core/burst';
import { recurrenceWords } from '@underbell/core/schedule';
import { dateWriter } from '@underbell/core/format';
import { putGrant, requireMaker, requireRight, visibleNames } from '../access/index.ts';
import { remember, type App } from '../platform/index.ts';
import { requireDestination } from '../deliver/index.ts';
import { requireTemplate } from '../template/index.ts';
import { checkAgainstList, requireBurst } from './definition.ts';
import { fittedTemplate } from './filled.ts';
import { copyColumns, prepareBurst } from './prepare.ts';
import { showRun } from './runs.ts';
import { findBurst, listBursts, listRuns, putBurst } from './store.ts';

/** Saves a burst; whoever saves it is its sender, and the sender's rights are its outer limit. */
export async function saveBurst(app: App, person: PersonViewer, value: unknown, origin: string) {
  const definition = readBurst(value);
  const { name } = definition;
  const known = await findBurst(app, name);
  if (known) await requireRight(app, person, 'edit', 'burst', name);
  else await requireMaker(app, person, 'burst');
  await requireRight(app, person, 'export', 'report', definition.report);
  await checkAgainstList(app, person, definition);
  const sample = definition.period?.unit === 'month' ? '2026-01' : definition.period ? '2026-01-01' : undefined;
  if (definition.template !== undefined) await requireTemplate(app, person, definition.template);
  const prepared = await prepareBurst(app, person, definition, sample);
  copyColumns(prepared);
  await fittedTemplate(app, prepared);
  await requireDestination(app, person, definition.destination);
  await app.records.transaction(async (transaction) => {
    const [next] = definition.schedule ? nextRuns(definition.schedule, app.now()) : [];
    await putBurst(app, definition, person.id, next === undefined ? null : new Date(next), transaction);
    if (!known)
      await putGrant(
        app,
        { holder: { kind: 'person', name: person.email }, thing: { kind: 'burst', name }, level: 'own' },
        transaction,
      );
    await remember(
      app,
      {
        who: person.email,
        what: 'burst saved',
        thing: `burst ${name}`,
        origin,
        before: known?.definition,
        after: definition,
      },
      transaction,
    );
  });
  return definition;
}

export async function seenBursts(app: App, person: PersonViewer) {
  const all = await listBursts(app);
  const names = await visibleNames(
    app,
    person,
    'burst',
    all.map((one) => one.name),
  );
  return Promise.all(
    all
      .filter((one) => names.includes(one.name))
      .map(async ({ name, definition, nextRunAt }) => {
        const [last] = await listRuns(app, name, 1);
        return { name, definition, nextRunAt, lastRun: last ? await showRun(app, last) : null };
      }),
  );
}

const shownTimes = 10;

/** When a burst runs by itself: in words, and the next ten times with the period that each is about. */
export async function showTimes(app: App, person: PersonViewer, name: string) {
  const definition = await requireBurst(app, person, name, 'view');
  const { schedule } = definition;
  if (!schedule) return { burst: name, words: 'only when somebody starts it', times: [] };
  const { locale } = app.settings;
  const look = { dateStyle: 'full', timeStyle: 'short', timeZone: schedule.timeZone } as const;
  return {
    burst: name,
    words: recurrenceWords(schedule),
    times: nextRuns(schedule, app.now(), shownTimes).map((at) => {
      const period = periodAt(definition, at);
      return {
        at: new Date(at),
        words: dateWriter(locale, look).format(at),
        ...(period === undefined ? {} : { period, periodWords: readPeriod(definition, period, locale).words }),
      };
    }),
  };
}

const icsText = (text: string) => text.replace(/[\\;,]/g, (one) => `\\${one}`).replaceAll('\n', '\\n');
const icsInstant = (at: Date) => `${at.toISOString().replace(/[-:]/g, '').slice(0, 15)}Z`;

/** The next times as a calendar. @see RFC 5545 */
export async function timesAsCalendar(app: App, person: PersonViewer, name: string): Promise<string> {
  const definition = await requireBurst(app, person, name, 'view');
  const { times } = await showTimes(app, person, name);
  const host = new URL(app.settings.publicUrl).hostname;
  const events = times.flatMap(({ at, ...rest }) => [
    'BEGIN:VEVENT',
    `UID:${name}-${icsInstant(at)}@${host}`,
    `DTSTAMP:${icsInstant(new Date(app.now()))}`,
    `DTSTART:${icsInstant(at)}`,
    `SUMMARY:${icsText(definition.title)}${'periodWords' in rest ? icsText(`, ${String(rest.periodWords)}`) : ''}`,
    `URL:${app.settings.publicUrl}/console/sending/${name}`,
    'END:VEVENT',
  ]);
  return `${['BEGIN:VCALENDAR', 'VERSION:2.0', 'PRODID:-//Under Bell//Sending//EN', ...events, 'END:VCALENDAR'].join('\r\n')}\r\n`;
}
