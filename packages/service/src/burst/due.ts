import type { PersonViewer } from '@underbell/core/access';
import { decideDue, nextRuns, type BurstDefinition, type DueStart } from '@underbell/core/burst';
import { missedWords, type MissedOutcome, type MissedStart } from '@underbell/core/burst/apiTypes';
import { findPerson } from '../access/index.ts';
import { all, forEachIsolated, enqueue, momentOf, remember, type App } from '../platform/index.ts';
import { missedStarts, type BurstRow } from './models.ts';
import { requireBurst } from './definition.ts';
import { dueBursts, takeDueBurst } from './store.ts';
import { holidaysOf, instantWords, nextTimes, shownTimes, timesOf } from './nextRuns.ts';

/** So many times are looked for at once: mostly one is due. */
const timesAtOnce = 20;

/** Every time from the one that is due up to now. */
async function dueTimes(app: App, definition: BurstDefinition, since: number): Promise<number[]> {
  const { schedule } = definition;
  if (!schedule || schedule.paused) return [];
  const holidays = await holidaysOf(app, definition);
  const due = [since];
  for (;;) {
    const later = nextRuns(schedule, due.at(-1)!, timesAtOnce, holidays);
    const past = later.filter((at) => at <= app.now());
    due.push(...past);
    if (past.length === 0 || past.length < later.length) return due;
  }
}

/** Decides about every time of a burst that has passed, once over all processes: what is missed is noted and said. */
export async function takeDue(app: App, { name, definition, nextRunAt, ownerId }: BurstRow): Promise<void> {
  if (!nextRunAt || nextRunAt.getTime() > app.now()) return;
  const [next] = await nextTimes(app, definition, 1);
  const due = decideDue(definition, await dueTimes(app, definition, nextRunAt.getTime()), app.now());
  const missed = due.filter((one): one is Missed => one.outcome !== 'started');
  await app.records.transaction(async () => {
    if (!(await takeDueBurst(app, name, { at: nextRunAt, next }))) return;
    for (const { at, outcome } of due)
      if (outcome === 'started' || outcome === 'started late') await enqueue(app, 'burst.start', { name, at });
    if (missed.length === 0) return;
    const decidedAt = new Date(app.now());
    await missedStarts(app).bulkCreate(
      missed.map(({ at, outcome, period }) => ({
        burstName: name,
        at: new Date(at),
        outcome,
        period: period ?? null,
        decidedAt,
      })),
      { ignoreDuplicates: true },
    );
    await remember(app, {
      who: 'schedule',
      what: `${missed.length === 1 ? 'a start was' : `${missed.length} starts were`} missed`,
      thing: `burst ${name}`,
      origin: 'schedule',
      after: missed.map(({ at, ...rest }) => ({ at: new Date(at).toISOString(), ...rest })),
    });
    const owner = await findPerson(app, { id: ownerId });
    if (owner) await enqueue(app, 'notice.mail', { to: owner.email, ...missedNotice(app, definition, missed) });
  });
}

type Missed = DueStart & { readonly outcome: MissedOutcome };

function missedNotice(app: App, { title, schedule }: BurstDefinition, missed: readonly Missed[]) {
  const timeZone = schedule?.timeZone ?? app.settings.timeZone;
  const lines = missed.map(
    ({ at, outcome, period }) =>
      `${instantWords(app, timeZone, at)}${period === undefined ? '' : `, period ${period}`}: ${missedWords[outcome]}`,
  );
  return {
    subject: `Missed runs: ${title}`,
    text: `No worker was running at these scheduled times of “${title}”:\n\n${lines.join('\n')}\n`,
  };
}

/** Every burst whose time has come goes into the queue, once over all processes. */
export async function startDue(app: App): Promise<void> {
  const failed = (error: unknown, { name }: { readonly name: string }) =>
    app.log.error({ err: error, burst: name }, 'a burst that is due could not be started');
  await forEachIsolated(await dueBursts(app), (burst) => takeDue(app, burst), failed);
}

const shownMissed = 10;

/** The next ten times of a burst, and the last ten that it missed. */
export async function showTimes(app: App, person: PersonViewer, name: string) {
  const definition = await requireBurst(app, person, name, 'view');
  return { burst: name, ...(await timesOf(app, definition, shownTimes)), missed: await missedOf(app, definition) };
}

/** The latest times at which a burst did not start when it was due, newest first. */
async function missedOf(app: App, { name, schedule }: BurstDefinition): Promise<MissedStart<Date>[]> {
  const { timeZone } = schedule ?? momentOf(app);
  const found = await all(
    missedStarts(app).findAll({ where: { burstName: name }, order: [['at', 'DESC']], limit: shownMissed }),
  );
  return found.map(({ at, outcome, period }) => ({
    at,
    words: instantWords(app, timeZone, at.getTime()),
    outcome,
    ...(period === null ? {} : { period }),
  }));
}
