import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import { keepingOf, lookAgainMs, nextRuns, periodAt } from '@underbell/core/burst';
import type { Value } from '@underbell/core/dataset';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { findPerson } from '../access/index.ts';
import { meter } from '../meter/index.ts';
import { enqueue, isConnectionLost, patiently, TryLater, type App, type JobHandler } from '../platform/index.ts';
import { prepareBurst, type PreparedBurst } from './prepare.ts';
import { handOver, makeCopies } from './make.ts';
import { startRun } from './runs.ts';
import { RunWaits, sendCopies, settleInterrupted } from './send.ts';
import { describeFile, dropMade, dropRunFolder, madeFolder, runFolder } from './spool.ts';
import {
  changeRun,
  countDeliveries,
  dueBursts,
  findBurst,
  findRun,
  listDeliveries,
  moveDeliveries,
  moveRun,
  spentRuns,
  takeDueBurst,
  type DeliveryRow,
  type MadeFile,
  type RunRow,
  type RunState,
} from './store.ts';

const progressEveryMs = 250;
const dayMs = 86_400_000;
/** A run that brings down so many workers is given up, so that it does not bring down the next. */
const maxWorkers = 3;

/** Thrown to leave a run whose lease was lost; another worker goes on with it. */
class LeaseLost extends Error {}

/** Thrown to leave a run that somebody wants paused; what is ready stays ready. */
class Paused extends Error {}

/** One execution of a burst, from the ledger as it stands: after a crash it goes on where the ledger says. */
class RunExecution {
  readonly #app: App;
  readonly #run: RunRow;
  readonly #isMine: () => boolean;
  #stopAsked = false;
  #pauseAsked = false;
  #lastNote = 0;

  constructor(app: App, run: RunRow, isMine: () => boolean) {
    this.#app = app;
    this.#run = run;
    this.#isMine = isMine;
  }

  async execute(): Promise<void> {
    const { id } = this.#run;
    await settleInterrupted(this.#app, this.#run);
    await this.#note({});
    const burst = await this.#prepare();
    const waiting = await listDeliveries(this.#app, id, ['planned', 'rendered']);
    if (waiting.length > 0) {
      await this.#make(burst, waiting);
      await this.#send(burst);
    }
    await this.#finish();
  }

  async #prepare(): Promise<PreparedBurst> {
    const { senderId, definition, occurrence, editionNumber, revisions } = this.#run;
    const sender = await findPerson(this.#app, { id: senderId });
    if (!sender) throw new Refusal('NOT_ALLOWED', 'the sender of this burst has left');
    return prepareBurst(this.#app, sender, definition, definition.period ? occurrence : undefined, {
      editionNumber,
      revisions,
    });
  }

  #check(): void {
    if (!this.#isMine()) throw new LeaseLost('the lease of this run was lost');
    if (this.#stopAsked) throw new Refusal('RUN_STOPPED', 'the run was stopped');
    if (this.#pauseAsked) throw new Paused('the run was paused');
  }

  /** Writes down how far the run is, and looks whether somebody wants it stopped. */
  async #note(change: Partial<RunRow>): Promise<void> {
    await patiently(() => changeRun(this.#app, this.#run.id, change));
    const now = await patiently(() => findRun(this.#app, this.#run.id));
    this.#stopAsked = now?.stopAsked ?? false;
    this.#pauseAsked = now?.pauseAsked ?? false;
    this.#check();
  }

  #noteSometimes(change: Partial<RunRow>): void {
    this.#check();
    const now = performance.now();
    if (now - this.#lastNote < progressEveryMs) return;
    this.#lastNote = now;
    this.#note(change).catch((error: unknown) => {
      if (!isRefusal(error, 'RUN_STOPPED') && !(error instanceof LeaseLost) && !(error instanceof Paused))
        this.#app.log.warn({ err: error }, 'progress could not be noted');
    });
  }

  #path(file: MadeFile): string {
    return join(runFolder(this.#app.settings.spool, this.#run.id), file.name);
  }

  /** Whether every file of these copies is still there as it was made. */
  async #areMade(deliveries: readonly DeliveryRow[]): Promise<boolean> {
    for (const { state, files } of deliveries) {
      if (state !== 'rendered') return false;
      for (const file of files) {
        const found = await stat(this.#path(file)).catch(() => undefined);
        if (found?.size !== file.sizeBytes) return false;
      }
    }
    return true;
  }

  /** Makes every file before the first copy leaves: a run that cannot be made sends nothing. */
  async #make(burst: PreparedBurst, deliveries: readonly DeliveryRow[]): Promise<void> {
    if (await this.#areMade(deliveries)) return;
    const filled = deliveries.filter((one) => one.files.length > 0);
    const { pathOf, msOf } = await makeCopies(this.#app, burst, {
      values: [...new Set(filled.map((one) => one.value as Value))],
      formats: burst.definition.formats,
      folder: madeFolder(this.#app.settings.spool, this.#run.id),
      templateVersion: this.#run.templateVersion ?? undefined,
      onStep: (phase) => this.#note({ phase }),
      onProgress: (progress) => this.#noteSometimes(progress),
    }).then(async (made) => {
      if (made.rowsRead > 0) await this.#note({ rowsRead: made.rowsRead });
      return made;
    });
    const counted = new Set<string>();
    for (const delivery of deliveries) {
      for (const file of delivery.files) await handOver(pathOf(delivery.value as Value, file.format), this.#path(file));
      const files = await Promise.all(delivery.files.map((file) => describeFile(file, this.#path(file))));
      await moveDeliveries(this.#app, { ids: [delivery.id] }, ['planned', 'rendered'], { state: 'rendered', files });
      for (const file of files) {
        // Recipients with the same value share one making; it counts once.
        const key = `${String(delivery.value)} ${file.format}`;
        this.#meter(burst, delivery, file, counted.has(key) ? 0 : msOf(delivery.value as Value, file.format));
        counted.add(key);
      }
    }
  }

  #meter(burst: PreparedBurst, delivery: DeliveryRow, file: MadeFile, renderMs: number): void {
    const { name, report } = burst.definition;
    const { viewer } = burst.viewing;
    meter(this.#app, {
      kind: 'delivery',
      lane: 'planned',
      burst: name,
      report,
      format: file.format,
      ...(viewer.kind === 'person' ? { person: viewer.email } : {}),
      rows: Number(delivery.rowCount),
      bytes: file.sizeBytes ?? 0,
      renderMs,
    });
  }

  async #send(burst: PreparedBurst): Promise<void> {
    await this.#note({ phase: 'sending' });
    await sendCopies(this.#app, {
      run: this.#run,
      burst,
      keptUntil: this.#keptUntil(),
      pathOf: (file) => this.#path(file),
      look: (phase) => this.#note(phase === undefined ? {} : { phase }),
    });
  }

  /** Until when the files of this run are kept, counted from its start: the same whoever goes on with it. */
  #keptUntil(): Date {
    const { createdAt, definition } = this.#run;
    return new Date(createdAt.getTime() + keepingOf(definition).days * dayMs);
  }

  async #finish(): Promise<void> {
    // Were the database's answer to a claim lost, nobody here knows that the copy is theirs.
    const reason = 'the database went away while this copy was taken up';
    await moveDeliveries(this.#app, { run: this.#run.id }, ['sending'], { state: 'in doubt', reason });
    const counts = await countDeliveries(this.#app, this.#run.id);
    const bad = (counts.failed ?? 0) + (counts['in doubt'] ?? 0);
    const state: RunState = bad === 0 ? 'done' : (counts.sent ?? 0) > 0 ? 'partly' : 'failed';
    await this.#close(state, null);
  }

  async #close(state: RunState, error: string | null): Promise<void> {
    const { id, definition } = this.#run;
    const isKept = keepingOf(definition).days > 0;
    const keptUntil = isKept ? this.#keptUntil() : null;
    // Whoever hears that it has ended finds its folder as it stays.
    const { spool } = this.#app.settings;
    await (isKept ? dropMade(spool, id) : dropRunFolder(spool, id));
    await changeRun(this.#app, id, { state, error, phase: '', finishedAt: new Date(this.#app.now()), keptUntil });
  }

  /** Ends a run that cannot go on: what has not left is marked, with the reason, for the next run. */
  async fail(error: Error): Promise<void> {
    const isStop = isRefusal(error, 'RUN_STOPPED');
    const reason = isRefusal(error) ? error.message : 'something went wrong inside';
    await moveDeliveries(this.#app, { run: this.#run.id }, ['sending'], { state: 'in doubt', reason });
    await moveDeliveries(this.#app, { run: this.#run.id }, ['planned', 'rendered'], { state: 'failed', reason });
    const counts = await countDeliveries(this.#app, this.#run.id);
    await this.#close(isStop ? 'stopped' : (counts.sent ?? 0) > 0 ? 'partly' : 'failed', reason);
  }
}

/** Executes a run. A worker that loses its lease leaves everything as it is. */
export const runBurstJob: JobHandler = async (app, job, isMine) => {
  const run = await findRun(app, Number(job.payload['run']));
  if (!run || (run.state !== 'waiting' && run.state !== 'running')) return;
  const execution = new RunExecution(app, run, isMine);
  if (job.attempts > maxWorkers) {
    return execution.fail(
      new Refusal('INTERNAL', `${maxWorkers} workers died in the middle of this run; it was given up`),
    );
  }
  await changeRun(app, run.id, { state: 'running', startedAt: run.startedAt ?? new Date(app.now()) });
  try {
    await execution.execute();
  } catch (error) {
    if (error instanceof Paused && isMine()) {
      await changeRun(app, run.id, { state: 'paused', phase: '' });
      return;
    }
    if (error instanceof RunWaits && isMine() && !isOverdue(app, run)) {
      await waitForDestination(app, run, error, Number(job.payload['waits'] ?? 0));
      return;
    }
    if (error instanceof LeaseLost || !isMine()) {
      app.log.warn({ run: run.id }, 'the run goes on elsewhere');
      return;
    }
    // The ledger is as it was; it is gone on with when the database is back.
    if (isConnectionLost(error)) throw new TryLater(awayMs, { cause: error });
    const cause = error instanceof RunWaits ? error.cause : error;
    if (!isRefusal(cause)) app.log.error({ err: cause, run: run.id }, 'a run failed');
    await execution.fail(cause as Error);
  }
};

/** How long to leave a database alone that went away. */
const awayMs = 1_000;

/** A run that a destination keeps waiting for so long is given up. */
const longestWaitMs = dayMs;

const isOverdue = (app: App, run: RunRow) => app.now() - run.createdAt.getTime() > longestWaitMs;

/** Leaves a run until its destination is looked at again; what is ready stays ready. */
async function waitForDestination(app: App, run: RunRow, waits: RunWaits, times: number): Promise<void> {
  await app.records.transaction(async (transaction) => {
    const change = { state: 'waiting', phase: `waits: ${waits.message}` } as const;
    await moveRun(app, run.id, ['running'], change, transaction);
    await enqueue(app, 'burst.run', { run: run.id, waits: times + 1 }, transaction, lookAgainMs(times));
  });
}

/** A start that is later than this was missed. */
const missedMs = 60 * 60_000;

/** Starts one run because its time has come; whoever owns the burst hears of it when it cannot start. */
export const startScheduled: JobHandler = async (app, job) => {
  const { name, at } = job.payload as { name: string; at: number };
  const burst = await findBurst(app, name);
  if (!burst?.definition.schedule) return;
  const owner = await findPerson(app, { id: burst.ownerId });
  try {
    if (!owner) throw new Refusal('NOT_ALLOWED', 'the sender of this burst has left');
    const period = periodAt(burst.definition, at);
    await startRun(app, owner, name, {
      ...(period === undefined ? {} : { period }),
      again: false,
      cause: 'schedule',
      origin: 'schedule',
    });
  } catch (error) {
    if (!isRefusal(error)) throw error;
    app.log.warn({ burst: name, code: error.code }, 'a scheduled run could not start');
    if (!owner) return;
    const text = `“${burst.definition.title}” was to be sent by its schedule and could not start:\n\n${error.message}\n${error.details.hint ? `\n${error.details.hint}\n` : ''}`;
    await app.records.transaction((transaction) =>
      enqueue(
        app,
        'notice.mail',
        { to: owner.email, subject: `${burst.definition.title} was not sent`, text },
        transaction,
      ),
    );
  }
};

/**
 * What the clock brings: every burst whose time has come goes into the queue, once over all processes; files that were
 * kept long enough are dropped.
 */
export async function tick(app: App): Promise<void> {
  await startDue(app);
  await dropSpent(app);
}

/** Files are kept as long as was said, and no longer. */
async function dropSpent(app: App): Promise<void> {
  for (const { id } of await spentRuns(app)) {
    await dropRunFolder(app.settings.spool, id);
    await changeRun(app, id, { keptUntil: null });
  }
}

async function startDue(app: App): Promise<void> {
  for (const { name, definition, nextRunAt } of await dueBursts(app)) {
    const { schedule } = definition;
    const [next] = schedule ? nextRuns(schedule, app.now()) : [];
    await app.records.transaction(async (transaction) => {
      const isTaken = await takeDueBurst(app, name, { at: nextRunAt!, next }, transaction);
      if (!isTaken || !schedule) return;
      const isMissed = app.now() - nextRunAt!.getTime() > missedMs;
      if (isMissed && schedule.missed === 'skip') return;
      await enqueue(app, 'burst.start', { name, at: nextRunAt!.getTime() }, transaction);
    });
  }
}
