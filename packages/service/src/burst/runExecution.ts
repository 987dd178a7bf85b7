import { join } from 'node:path';
import { PassThrough } from 'node:stream';
import { cutKey, keepingOf, type Cut, type MadeFormat, type RunStatus } from '@underbell/core/burst';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { findPerson } from '../access/index.ts';
import {
  countDeliveries,
  cutOfDelivery,
  listDeliveries,
  moveDeliveries,
  DestinationUnavailable,
  sendCopies,
  settleInterrupted,
  type DeliveryRow,
  type MadeFile,
} from '../deliver/index.ts';
import { meter } from '../usage/index.ts';
import { holdLease, hurry, retry, together, type App, type Job, emit } from '../platform/index.ts';
import { prepareBurst, type PreparedBurst } from './prepare.ts';
import {
  describeFile,
  dropMade,
  dropRunFolder,
  handOver,
  type MadeCopy,
  madeFolder,
  makeCopies,
} from '../copies/index.ts';
import { keptUntil, pathInRun, sendingOf } from './deliveryJob.ts';
import { asOfRun, changeRun, findRun, moveRun } from './store.ts';
import type { RunRow } from './models.ts';

const progressEveryMs = 250;

/** Thrown to leave a run whose lease was lost; another worker goes on with it. */
export class LeaseLost extends Error {}

/** Thrown to leave a run that somebody wants paused; what is ready stays ready. */
export class Paused extends Error {}

const digestOf = ({ sizeBytes, sha256 }: MadeCopy) => ({ sizeBytes, sha256 });

/** One execution of a burst, from the ledger as it stands: after a crash it goes on where the ledger says. */
export class RunExecution {
  readonly #app: App;
  readonly #run: RunRow;
  /** No other attempt at this run has this name: one that lost its lease may still be writing. */
  readonly #attempt: string;
  readonly #isMine: () => boolean;
  readonly #job: Job;
  #stopAsked = false;
  #pauseAsked = false;
  #lastNote = 0;
  /** Why sending has ended early: making ends, too. */
  #broken: unknown;

  constructor(app: App, run: RunRow, job: Job, isMine: () => boolean) {
    this.#app = app;
    this.#run = run;
    this.#job = job;
    this.#attempt = `${job.id}-${job.attempts}`;
    this.#isMine = isMine;
  }

  async execute(): Promise<void> {
    const { id } = this.#run;
    const { isTest, definition } = this.#run;
    await settleInterrupted(this.#app, { run: id, isTest, destination: definition.destination });
    await this.#note({});
    const burst = await this.#prepare();
    const waiting = await listDeliveries(this.#app, id, ['planned', 'rendered']);
    if (waiting.length > 0) await this.#makeAndSend(burst, waiting);
    await this.#finish();
  }

  async #prepare(): Promise<PreparedBurst> {
    const { senderId, definition, occurrence, editionNumber, revisions } = this.#run;
    const sender = await findPerson(this.#app, { id: senderId });
    if (!sender) throw new Refusal('NOT_ALLOWED', 'The sender of this burst is deactivated.');
    return prepareBurst(this.#app, sender, definition, definition.period ? occurrence : undefined, {
      binding: { editionNumber, revisions },
      asOf: asOfRun(this.#run),
    });
  }

  #check(): void {
    if (this.#broken !== undefined) throw this.#broken;
    if (!this.#isMine()) throw new LeaseLost('the lease of this run was lost');
    if (this.#stopAsked) throw new Refusal('RUN_CANCELLED', 'The run was cancelled.');
    if (this.#pauseAsked) throw new Paused('the run was paused');
  }

  /** Writes down how far the run is, and looks whether somebody wants it stopped. */
  async #note(change: Partial<RunRow>): Promise<void> {
    await retry(() => changeRun(this.#app, this.#run.id, change));
    const now = await retry(() => findRun(this.#app, this.#run.id));
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
      if (!isRefusal(error, 'RUN_CANCELLED') && !(error instanceof LeaseLost) && !(error instanceof Paused))
        this.#app.log.warn({ err: error }, 'progress could not be noted');
    });
  }

  #path(file: MadeFile): string {
    return pathInRun(this.#app, this.#run.id, file.name);
  }

  /** Whether every file of a copy is still there as it was made. */
  async #isMade({ state, files }: DeliveryRow): Promise<boolean> {
    if (state !== 'rendered') return false;
    for (const file of files) {
      const found = await describeFile(this.#path(file)).catch(() => undefined);
      if (found === undefined || found.sha256 !== file.sha256) return false;
    }
    return true;
  }

  /** Makes what is not made yet and sends each copy as soon as its files are there. */
  async #makeAndSend(burst: PreparedBurst, deliveries: readonly DeliveryRow[]): Promise<void> {
    const ready = new PassThrough({ objectMode: true, highWaterMark: deliveries.length });
    // Whoever reads from it hears of it, as long as somebody does.
    ready.on('error', () => undefined);
    const sendWith = await sendingOf(this.#app, this.#run, burst, (phase) =>
      this.#note(phase === undefined ? {} : { phase }),
    );
    const sending = sendCopies(this.#app, sendWith, ready).catch((error: unknown) => {
      // What is made while nothing can be sent lies ready for when it can.
      if (!(error instanceof DestinationUnavailable)) this.#broken ??= error;
      throw error;
    });
    const making = this.#make(burst, deliveries, (delivery) => void ready.write(delivery)).then(
      () => void ready.end(),
      (error: unknown) => {
        ready.destroy(error as Error);
        throw error;
      },
    );
    await together(making, sending);
  }

  async #make(
    burst: PreparedBurst,
    deliveries: readonly DeliveryRow[],
    onReady: (delivery: DeliveryRow) => void,
  ): Promise<void> {
    const wanted = new Map<string, { cut: Cut; formats: Set<MadeFormat>; deliveries: DeliveryRow[] }>();
    for (const delivery of deliveries) {
      if (await this.#isMade(delivery)) {
        onReady(delivery);
        continue;
      }
      const cut = cutOfDelivery(this.#app, delivery, burst.definition.bind);
      if (cut === undefined || delivery.files.length === 0) {
        await this.#markReady(delivery, delivery.files);
        onReady(delivery);
        continue;
      }
      const known = wanted.get(cutKey(cut)) ?? { cut, formats: new Set(), deliveries: [] };
      wanted.set(cutKey(cut), known);
      known.deliveries.push(delivery);
      for (const file of delivery.files) known.formats.add(file.format);
    }
    if (wanted.size === 0) return;
    const rowsRead = await makeCopies(this.#app, burst, {
      cuts: [...wanted.values()].map(({ cut, formats }) => ({ cut, formats: [...formats] })),
      folder: join(madeFolder(this.#app.settings.workDir, this.#run.id), this.#attempt),
      templateVersion: this.#run.templateVersion ?? undefined,
      onStep: (phase) => this.#note({ phase }),
      onProgress: (progress) => this.#noteSometimes(progress),
      onMade: async (cut, made) => {
        for (const [i, delivery] of wanted.get(cutKey(cut))!.deliveries.entries()) {
          const files = delivery.files.map((file) => ({ ...file, ...digestOf(made.get(file.format)!) }));
          for (const file of files) await handOver(made.get(file.format)!.path, this.#path(file));
          await this.#markReady(delivery, files);
          // Recipients with the same cut share one making; it counts once.
          for (const file of files) this.#meter(burst, delivery, file, i === 0 ? made.get(file.format) : undefined);
          onReady({ ...delivery, files, state: 'rendered' });
        }
      },
    });
    await this.#note({ phase: 'sending', ...(rowsRead > 0 ? { rowsRead } : {}) });
  }

  async #markReady({ id }: DeliveryRow, files: MadeFile[]): Promise<void> {
    await moveDeliveries(this.#app, { ids: [id] }, ['planned', 'rendered'], { state: 'rendered', files });
  }

  /** @param made - what making it took; nothing where it was made for somebody else already */
  #meter(burst: PreparedBurst, delivery: DeliveryRow, file: MadeFile, made: MadeCopy | undefined): void {
    const { name, report } = burst.definition;
    const { viewer } = burst.viewing;
    meter(this.#app, {
      kind: 'delivery',
      lane: 'planned',
      burst: name,
      report,
      format: file.format,
      ...(viewer.kind === 'person' ? { person: viewer.email } : {}),
      rows: delivery.rowCount,
      bytes: file.sizeBytes ?? 0,
      ...(made ? { queryMs: made.queryMs, renderMs: made.ms, cpuMs: made.cpuMs } : {}),
    });
  }

  async #finish(): Promise<void> {
    const { id } = this.#run;
    await this.#close(async () => {
      // Were the database's answer to a claim lost, nobody here knows that the copy is theirs.
      const reason = 'the database was not reachable';
      await moveDeliveries(this.#app, { run: id }, ['sending'], { state: 'in doubt', reason });
      const counts = await countDeliveries(this.#app, id);
      const bad = (counts.failed ?? 0) + (counts['in doubt'] ?? 0);
      return { state: bad === 0 ? 'done' : (counts.sent ?? 0) > 0 ? 'partly' : 'failed', error: null };
    });
  }

  /**
   * Ends the run, in one transaction that only the holder of the lease gets through: a worker that lost it marks no copy
   * that another has on the wire, and drops no file that another sends.
   *
   * @throws {LeaseLost}
   */
  async #close(settle: () => Promise<{ state: RunStatus; error: string | null }>): Promise<void> {
    const { id, definition } = this.#run;
    const { workDir } = this.#app.settings;
    const isKept = keepingOf(definition).days > 0;
    const until = isKept ? keptUntil(this.#run) : null;
    await retry(() =>
      this.#app.records.transaction(async () => {
        if (!(await holdLease(this.#app, this.#job))) throw new LeaseLost('the lease of this run was lost');
        const end = await settle();
        // Whoever hears that it has ended finds its folder as it stays.
        await (isKept ? dropMade(workDir, id) : dropRunFolder(workDir, id));
        const finishedAt = new Date(this.#app.now());
        await moveRun(this.#app, id, ['waiting', 'running'], { ...end, phase: '', finishedAt, keptUntil: until });
        // Those that wait for it go on at once.
        await hurry(this.#app, 'burst.start', { name: definition.name });
        await emit(this.#app, 'run.finished', { run: id, burst: definition.name, state: end.state });
      }),
    );
  }

  /** Ends a run that cannot go on: what has not left is marked, with the reason, for the next run. @throws {LeaseLost} */
  async fail(error: Error): Promise<void> {
    const { id } = this.#run;
    const isStop = isRefusal(error, 'RUN_CANCELLED');
    const reason = isRefusal(error) ? error.message : 'internal error';
    await this.#close(async () => {
      await moveDeliveries(this.#app, { run: id }, ['sending'], { state: 'in doubt', reason });
      await moveDeliveries(this.#app, { run: id }, ['planned', 'rendered'], { state: 'failed', reason });
      const counts = await countDeliveries(this.#app, id);
      return { state: isStop ? 'stopped' : (counts.sent ?? 0) > 0 ? 'partly' : 'failed', error: reason };
    });
  }
}
