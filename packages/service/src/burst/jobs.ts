import { copyFile } from 'node:fs/promises';
import { join } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { fillTemplate, templateValues, type CopyFormat, type Recipient } from '@underbell/core/burst';
import type { Value } from '@underbell/core/dataset';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { findPerson } from '../access/index.ts';
import { MailRoad, messageIdOf } from '../deliver/index.ts';
import type { App, JobHandler } from '../platform/index.ts';
import { cutRows } from './cut.ts';
import { findList, listRecipients } from './listStore.ts';
import { prepareBurst, type PreparedBurst } from './prepare.ts';
import { readAnswers, renderCopy } from './render.ts';
import { describeFile, dropRunFolder, runFolder, writeCopy } from './spool.ts';
import {
  changeRun,
  countDeliveries,
  findRun,
  listDeliveries,
  moveDeliveries,
  type DeliveryRow,
  type MadeFile,
  type RunRow,
  type RunState,
} from './store.ts';

const mediaTypes: Record<CopyFormat, string> = { csv: 'text/csv; charset=utf-8', pdf: 'application/pdf' };
const parallelSends = 5;
const progressEveryMs = 250;
/** A run that brings down so many workers is given up, so that it does not bring down the next. */
const maxWorkers = 3;

/** Thrown to leave a run whose lease was lost; another worker goes on with it. */
class LeaseLost extends Error {}

/** One execution of a burst, from the ledger as it stands: after a crash it goes on where the ledger says. */
class RunExecution {
  readonly #app: App;
  readonly #run: RunRow;
  readonly #isMine: () => boolean;
  #stopAsked = false;
  #lastNote = 0;

  constructor(app: App, run: RunRow, isMine: () => boolean) {
    this.#app = app;
    this.#run = run;
    this.#isMine = isMine;
  }

  async execute(): Promise<void> {
    const { id } = this.#run;
    // Copies that were on the wire when a worker died may have arrived; a person decides about those.
    const reason = 'the worker stopped while this copy was on the wire';
    await moveDeliveries(this.#app, { run: id }, ['sending'], { state: 'in doubt', reason });
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
  }

  /** Writes down how far the run is, and looks whether somebody wants it stopped. */
  async #note(change: Partial<RunRow>): Promise<void> {
    await changeRun(this.#app, this.#run.id, change);
    const now = await findRun(this.#app, this.#run.id);
    this.#stopAsked = now?.stopAsked ?? false;
    this.#check();
  }

  #noteSometimes(change: Partial<RunRow>): void {
    this.#check();
    const now = performance.now();
    if (now - this.#lastNote < progressEveryMs) return;
    this.#lastNote = now;
    this.#note(change).catch((error: unknown) => {
      if (!isRefusal(error, 'RUN_STOPPED') && !(error instanceof LeaseLost))
        this.#app.log.warn({ err: error }, 'progress could not be noted');
    });
  }

  #path(file: MadeFile): string {
    return join(runFolder(this.#app.settings.spool, this.#run.id), file.name);
  }

  /** Makes every file before the first copy leaves: a run that cannot be made sends nothing. */
  async #make(burst: PreparedBurst, deliveries: readonly DeliveryRow[]): Promise<void> {
    const values = [...new Set(deliveries.map((one) => one.value as Value))];
    const fileOf = (delivery: DeliveryRow, format: CopyFormat) => delivery.files.find((one) => one.format === format);
    if (burst.definition.formats.includes('csv')) {
      await this.#note({ phase: 'reading and cutting rows' });
      const cuts = values.map((value) => ({
        value,
        path: this.#path({ format: 'csv', name: `cut-${values.indexOf(value)}.rows` }),
      }));
      const rowsRead = await cutRows(this.#app, burst, cuts, (rows) => this.#noteSometimes({ rowsRead: rows }));
      await this.#note({ rowsRead });
      for (const delivery of deliveries) {
        const file = fileOf(delivery, 'csv')!;
        await copyFile(cuts[values.indexOf(delivery.value as Value)]!.path, this.#path(file));
      }
    }
    if (burst.definition.formats.includes('pdf')) await this.#renderPages(burst, deliveries, values);
    for (const delivery of deliveries) {
      const files = await Promise.all(delivery.files.map((file) => describeFile(file, this.#path(file))));
      await moveDeliveries(this.#app, { ids: [delivery.id] }, ['planned', 'rendered'], { state: 'rendered', files });
    }
  }

  async #renderPages(
    burst: PreparedBurst,
    deliveries: readonly DeliveryRow[],
    values: readonly Value[],
  ): Promise<void> {
    await this.#note({ phase: 'reading figures' });
    const answers = await readAnswers(this.#app, burst, values);
    const rendered = new Map<Value, Buffer>();
    for (const [i, delivery] of deliveries.entries()) {
      this.#noteSometimes({ phase: `rendering page ${i + 1} of ${deliveries.length}` });
      const value = delivery.value as Value;
      // Recipients with the same value share one rendering.
      const bytes = rendered.get(value) ?? (await renderCopy(this.#app, burst, value, answers(value)));
      rendered.set(value, bytes);
      // Rendering never waits for anything outside; without a pause here leases and readers would starve.
      await setImmediate();
      writeCopy(this.#path(delivery.files.find((one) => one.format === 'pdf')!), bytes);
    }
  }

  async #send(burst: PreparedBurst): Promise<void> {
    await this.#note({ phase: 'sending' });
    const list = await findList(this.#app, burst.definition.list);
    const recipients = new Map((list ? await listRecipients(this.#app, list) : []).map((one) => [one.id, one]));
    const waiting = await listDeliveries(this.#app, this.#run.id, ['rendered']);
    const road = new MailRoad(this.#app.settings);
    try {
      await road.check();
      const queue = waiting.values();
      const lane = async (): Promise<void> => {
        for (const delivery of queue) {
          await this.#note({});
          await this.#sendOne(road, burst, delivery, recipients.get(delivery.recipient));
        }
      };
      const lanes = await Promise.allSettled(Array.from({ length: parallelSends }, lane));
      const broken = lanes.find((one) => one.status === 'rejected');
      if (broken) throw broken.reason;
    } finally {
      road.close();
    }
  }

  async #sendOne(
    road: MailRoad,
    burst: PreparedBurst,
    delivery: DeliveryRow,
    recipient: Recipient | undefined,
  ): Promise<void> {
    const { definition, period } = burst;
    const values = templateValues(
      definition,
      period,
      recipient ?? { id: delivery.recipient, address: delivery.address, values: {} },
    );
    const messageId = messageIdOf(
      [definition.name, delivery.occurrence, delivery.recipient, delivery.repeat],
      this.#app.settings.mailFrom,
    );
    const moved = await moveDeliveries(this.#app, { ids: [delivery.id] }, ['rendered'], {
      state: 'sending',
      messageId,
    });
    if (moved === 0) return;
    try {
      await road.send({
        messageId,
        to: delivery.address,
        subject: fillTemplate(definition.destination.subject, values).replace(/[\r\n]+/g, ' '),
        text: fillTemplate(definition.destination.message, values),
        attachments: delivery.files.map((file) => ({
          name: file.name,
          path: this.#path(file),
          type: mediaTypes[file.format],
        })),
      });
      await moveDeliveries(this.#app, { ids: [delivery.id] }, ['sending'], { state: 'sent', reason: null });
    } catch (error) {
      if (!isRefusal(error)) throw error;
      await moveDeliveries(this.#app, { ids: [delivery.id] }, ['sending'], {
        state: isRefusal(error, 'DELIVERY_IN_DOUBT') ? 'in doubt' : 'failed',
        reason: error.message,
      });
    }
  }

  async #finish(): Promise<void> {
    const counts = await countDeliveries(this.#app, this.#run.id);
    const bad = (counts.failed ?? 0) + (counts['in doubt'] ?? 0);
    const state: RunState = bad === 0 ? 'done' : (counts.sent ?? 0) > 0 ? 'partly' : 'failed';
    await this.#close(state, null);
  }

  async #close(state: RunState, error: string | null): Promise<void> {
    await changeRun(this.#app, this.#run.id, { state, error, phase: '', finishedAt: new Date(this.#app.now()) });
    await dropRunFolder(this.#app.settings.spool, this.#run.id);
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
    if (error instanceof LeaseLost || !isMine()) {
      app.log.warn({ run: run.id }, 'the run goes on elsewhere');
      return;
    }
    if (!isRefusal(error)) app.log.error({ err: error, run: run.id }, 'a run failed');
    await execution.fail(error as Error);
  }
};
