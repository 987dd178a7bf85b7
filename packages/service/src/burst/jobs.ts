import { lookAgainMs, ownMail, periodAt, type BurstDefinition, type RunCause } from '@underbell/core/burst';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { findPerson } from '../access/index.ts';
import { findEdition } from '../report/index.ts';
import {
  forEachIsolated,
  enqueue,
  hurry,
  isConnectionLost,
  momentOf,
  TryLater,
  type App,
  type JobHandler,
} from '../platform/index.ts';
import { LeaseLost, Paused, RunExecution } from './runExecution.ts';
import { startRun } from './runs.ts';
import { dropRunFolder } from '../copies/index.ts';
import { changeRun, findBurst, findRun, listBursts, moveRun, restRun, expiredRuns } from './store.ts';
import type { RunRow } from './models.ts';
import { DestinationUnavailable, lastSentAt } from '../deliver/index.ts';
import { livingRuns, takeRefreshedBurst } from './runs.sql.ts';

const dayMs = 86_400_000;
/** A run that brings down so many workers is given up, so that it does not bring down the next. */
const maxWorkers = 3;

/** Executes a run. A worker that loses its lease leaves everything as it is. */
export const runBurstJob: JobHandler = async (app, job, isMine) => {
  const run = await findRun(app, Number(job.payload['run']));
  if (!run || (run.state !== 'waiting' && run.state !== 'running')) return;
  const execution = new RunExecution(app, run, job, isMine);
  if (job.deaths >= maxWorkers) {
    return execution.fail(new Refusal('INTERNAL', `The run was stopped because ${maxWorkers} workers failed.`));
  }
  const start = { state: 'running', startedAt: run.startedAt ?? new Date(app.now()) } as const;
  if (!(await moveRun(app, run.id, ['waiting', 'running'], start))) return;
  try {
    await execution.execute();
  } catch (error) {
    if (error instanceof Paused && isMine()) {
      // Somebody may have let it go on, or stopped it, meanwhile: then it does not rest, and is looked at again at once.
      if (await restRun(app, run.id)) return;
      throw new TryLater(0, { isPatient: true });
    }
    if (
      error instanceof DestinationUnavailable &&
      isMine() &&
      (error.forMs !== undefined || !(await isOverdue(app, run)))
    ) {
      await waitForDestination(app, run, error, Number(job.payload['waits'] ?? 0));
      return;
    }
    if (error instanceof LeaseLost || !isMine()) {
      app.log.warn({ run: run.id }, 'the run goes on elsewhere');
      return;
    }
    // The ledger is as it was; it is gone on with when the database is back.
    if (isConnectionLost(error)) throw new TryLater(awayMs, { cause: error, isPatient: true });
    const cause = error instanceof DestinationUnavailable ? error.cause : error;
    if (!isRefusal(cause)) app.log.error({ err: cause, run: run.id }, 'a run failed');
    await execution.fail(cause as Error).catch((failure: unknown) => {
      if (!(failure instanceof LeaseLost)) throw failure;
      app.log.warn({ run: run.id }, 'the run goes on elsewhere');
    });
  }
};

/** How long to leave a database alone that went away. */
const awayMs = 1_000;

/** A run that a destination keeps waiting for so long without taking anything is given up; its limits may take longer. */
const longestWaitMs = dayMs;

async function isOverdue(app: App, { id, createdAt }: RunRow): Promise<boolean> {
  const last = (await lastSentAt(app, id)) ?? createdAt;
  return app.now() - last.getTime() > longestWaitMs;
}

/** Leaves a run until its destination is looked at again; what is ready stays ready. */
async function waitForDestination(app: App, run: RunRow, waits: DestinationUnavailable, times: number): Promise<void> {
  await app.records.transaction(async () => {
    const change = { state: 'waiting', phase: `waits: ${waits.message}` } as const;
    await moveRun(app, run.id, ['running'], change);
    // Limits say when it goes on; whatever else keeps a destination closed is looked at less and less often.
    const { forMs } = waits;
    const [waitMs, next] = forMs === undefined ? [lookAgainMs(times), times + 1] : [forMs, times];
    await enqueue(app, 'burst.run', { run: run.id, waits: next }, waitMs);
  });
}

/** Runs that wait for a destination go on as soon as it takes copies again. */
export const goOnThere: JobHandler = async (app, job) => {
  const { name } = job.payload as { name: string };
  for (const { id, destination } of await livingRuns(app))
    if ((destination ?? ownMail) === name) await hurry(app, 'burst.run', { run: id });
};

/** Starts the bursts that wait for a dataset to be loaded anew: each once a day at most, whatever is loaded how often. */
export const startRefreshed: JobHandler = async (app, job) => {
  const { name: dataset, at } = job.payload as { name: string; at?: number };
  const loadedAt = at === undefined ? null : new Date(at);
  const { now, today } = momentOf(app);
  for (const { name, definition } of await listBursts(app)) {
    if (definition.afterRefresh === undefined || !(await readsDataset(app, definition, dataset))) continue;
    await app.records.transaction(async () => {
      if (!(await takeRefreshedBurst(app, name, { today, at: loadedAt }))) return;
      await enqueue(app, 'burst.start', { name, at: now, cause: 'refresh' });
    });
  }
};

async function readsDataset(app: App, { report }: BurstDefinition, dataset: string): Promise<boolean> {
  try {
    return Object.hasOwn((await findEdition(app, report)).definition.datasets, dataset);
  } catch (error) {
    // A burst whose report is gone says so when somebody plans it.
    if (!isRefusal(error)) throw error;
    return false;
  }
}

/** A start that its schedule, or data that was loaded anew, brings. */
interface PlannedStart {
  readonly name: string;
  /** When it was due; milliseconds since 1970-01-01T00:00:00Z. */
  readonly at: number;
  readonly cause?: RunCause;
  /** How often it has waited for another run. */
  readonly waits?: number;
}

/** So often it waits for another run of the burst, ever longer: about a day in all. */
const mostWaits = 100;

/** Starts one run because its time has come; whoever owns the burst hears of it when it cannot start. */
export const startScheduled: JobHandler = async (app, job) => {
  const start = job.payload as unknown as PlannedStart;
  const { name, at, cause = 'schedule', waits = 0 } = start;
  const burst = await findBurst(app, name);
  const { schedule, afterRefresh } = burst?.definition ?? {};
  const times =
    cause === 'refresh' && afterRefresh ? { timeZone: app.settings.timeZone, period: afterRefresh } : schedule;
  if (!burst || !times) return;
  const owner = await findPerson(app, { id: burst.ownerId });
  try {
    if (!owner) throw new Refusal('NOT_ALLOWED', 'The sender of this burst is deactivated.');
    const period = periodAt(burst.definition, at, times);
    await startRun(app, owner, name, {
      ...(period === undefined ? {} : { period }),
      again: false,
      cause,
      origin: cause,
    });
  } catch (error) {
    if (!isRefusal(error)) throw error;
    // One run of a burst at a time: its next one waits for it.
    if (error.code === 'RUN_ACTIVE' && waits < mostWaits)
      return enqueue(app, 'burst.start', { ...start, waits: waits + 1 }, lookAgainMs(waits));
    app.log.warn({ burst: name, code: error.code }, 'a scheduled run could not start');
    if (!owner) return;
    const why = cause === 'refresh' ? 'after a refresh' : 'by its schedule';
    const text = `“${burst.definition.title}” was to be sent ${why} and could not start:\n\n${error.message}\n${error.details.hint ? `\n${error.details.hint}\n` : ''}`;
    await enqueue(app, 'notice.mail', {
      to: owner.email,
      subject: `Burst not started: ${burst.definition.title}`,
      text,
    });
  }
};

/** Files are kept as long as was said, and no longer. */
export async function deleteUnusedVersions(app: App): Promise<void> {
  const failed = (error: unknown, { id }: RunRow) =>
    app.log.error({ err: error, run: id }, 'files of a run could not be dropped');
  await forEachIsolated(
    await expiredRuns(app),
    async ({ id }) => {
      await dropRunFolder(app.settings.workDir, id);
      await changeRun(app, id, { keptUntil: null });
    },
    failed,
  );
}
