import type { PersonViewer } from '@underbell/core/access';
import { burstMistakes, readBurst, samplePeriod, type CutStrategy } from '@underbell/core/burst';
import { checkAllInTurn, placed, Refusal } from '@underbell/core/refusal';
import { putOwner, requireAuthor, requireRight, visibleNames } from '../access/index.ts';
import { holdName, lockResource, remember, type App } from '../platform/index.ts';
import { requireDestination } from '../deliver/index.ts';
import { requireTemplate } from '../template/index.ts';
import { checkAgainstList, checkCutting, requireBurst, requireReleaser } from './definition.ts';
import { copyColumns, loadFillableTemplate } from '../copies/index.ts';
import { requireList } from '../list/index.ts';
import { refuseUnsendable } from './plan.ts';
import { prepareBurst } from './prepare.ts';
import { showRuns } from './runs.ts';
import { checkPeriod } from './periodFit.ts';
import { findBurst, listBursts, lastRuns, putBurst, wasBurst } from './store.ts';
import { takeDue } from './due.ts';
import { nextTimes, timesOf } from './nextRuns.ts';
import type { BurstRow } from './models.ts';
import { type CheckedBurst, type ShownBurst } from '@underbell/core/burst/apiTypes';

/** Checks everything about a burst that can be known before it runs. @throws {Refusal} at the place that is wrong */
async function checkedBurst(app: App, person: PersonViewer, value: unknown) {
  const definition = readBurst(value);
  const { name } = definition;
  const known = await findBurst(app, name);
  if (known || (await wasBurst(app, name))) await requireRight(app, person, 'edit', 'burst', name);
  else await requireAuthor(app, person, 'burst');
  requireReleaser(person, known, definition);
  await requireRight(app, person, 'export', 'report', definition.report);
  const columns = (await requireList(app, person, definition.list)).columns;
  let strategy: CutStrategy | undefined;
  // Everything that is wrong is told at once.
  await checkAllInTurn(burstMistakes, [
    () => checkAgainstList(app, person, definition),
    () =>
      placed('/template', async () => {
        if (definition.template !== undefined) await requireTemplate(app, person, definition.template);
      }),
    async () => {
      const prepared = await prepareBurst(app, person, definition, samplePeriod(definition));
      ({ strategy } = prepared);
      await checkAllInTurn(burstMistakes, [
        () => copyColumns(prepared),
        () => checkCutting(app, prepared, columns),
        () => checkPeriod(app, prepared),
        () => refuseUnsendable(app, prepared),
        () => loadFillableTemplate(app, prepared),
      ]);
    },
    () => placed('/destination/to', () => requireDestination(app, person, definition.destination)),
  ]);
  return { definition, known, strategy: strategy! };
}

const checkedTimes = 3;

/** Checks a burst that somebody is writing, and says what it means; nothing is saved. */
export async function checkBurst(app: App, person: PersonViewer, value: unknown): Promise<CheckedBurst<Date>> {
  const { definition, known, strategy } = await checkedBurst(app, person, value);
  return {
    name: definition.name,
    isNew: known === undefined,
    strategy,
    ...(await timesOf(app, definition, checkedTimes)),
  };
}

/** Saves a burst; whoever saves it is its sender, and the sender's rights are its outer limit. */
export async function saveBurst(app: App, person: PersonViewer, value: unknown, origin: string) {
  const { definition, known } = await checkedBurst(app, person, value);
  const { name } = definition;
  await app.records.transaction(async () => {
    await holdName(app, { kind: 'burst', name }, known !== undefined);
    // What is due by the schedule before is decided by it.
    if (known) await takeDue(app, known);
    const [next] = await nextTimes(app, definition, 1);
    const awaited = definition.afterRefresh === undefined ? null : new Date(app.now());
    await putBurst(app, definition, {
      ownerId: person.id,
      nextRunAt: next === undefined ? null : new Date(next),
      awaitsSince: known?.definition.afterRefresh === undefined ? awaited : known.awaitsSince,
    });
    if (!known) await putOwner(app, person, { kind: 'burst', name });
    await remember(app, {
      who: person.email,
      what: 'burst saved',
      thing: `burst ${name}`,
      origin,
      before: known?.definition,
      after: definition,
    });
  });
  return definition;
}

export async function seenBursts(app: App, person: PersonViewer): Promise<ShownBurst<Date>[]> {
  const all = await listBursts(app);
  const names = await visibleNames(
    app,
    person,
    'burst',
    all.map((one) => one.name),
  );
  return withLastRuns(
    app,
    all.filter((one) => names.includes(one.name)),
  );
}

async function withLastRuns(app: App, bursts: readonly BurstRow[]): Promise<ShownBurst<Date>[]> {
  const last = await showRuns(
    app,
    await lastRuns(
      app,
      bursts.map((one) => one.name),
    ),
  );
  const runOf = new Map(last.map((one) => [one.burst, one]));
  return bursts.map(({ name, definition, nextRunAt }) => ({
    name,
    definition,
    nextRunAt,
    lastRun: runOf.get(name) ?? null,
  }));
}

/** A burst that somebody may see. @throws {Refusal} `NOT_FOUND` */
export async function showBurst(app: App, person: PersonViewer, name: string): Promise<ShownBurst<Date>> {
  await requireBurst(app, person, name, 'view');
  const [shown] = await withLastRuns(app, [(await findBurst(app, name))!]);
  return shown!;
}

/** Pauses the schedule of a burst, or lets it go on; its sender stays who it is. @throws {Refusal} `BURST_INVALID` without a schedule */
export async function pauseSchedule(app: App, person: PersonViewer, name: string, isPaused: boolean, origin: string) {
  await requireBurst(app, person, name, 'edit');
  return app.records.transaction(async () => {
    await lockResource(app, 'burst', name);
    const row = (await findBurst(app, name))!;
    const { schedule } = row.definition;
    await takeDue(app, row);
    if (!schedule) throw new Refusal('BURST_INVALID', `Burst “${name}” has no schedule.`, { pointer: '/schedule' });
    const { paused: _, ...rest } = schedule;
    const definition = { ...row.definition, schedule: isPaused ? { ...rest, paused: true } : rest };
    const [next] = await nextTimes(app, definition, 1);
    const change = { ...row, nextRunAt: next === undefined ? null : new Date(next) };
    await putBurst(app, definition, change);
    const what = isPaused ? 'schedule paused' : 'schedule resumed';
    await remember(app, { who: person.email, what, thing: `burst ${name}`, origin });
    return { name, ...(await timesOf(app, definition, checkedTimes)) };
  });
}
