import { Op, QueryTypes, type Transaction } from 'sequelize';
import {
  destinationName,
  ownMail,
  type BurstDefinition,
  type PlanEntry,
  type PlannedFile,
} from '@underbell/core/burst';
import type { Value } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { defineRecord, plain, type App } from '../platform/index.ts';

interface BurstRow {
  name: string;
  definition: BurstDefinition;
  ownerId: string;
  /** When its schedule starts it next. */
  nextRunAt: Date | null;
}

export type RunState = 'waiting' | 'running' | 'paused' | 'done' | 'partly' | 'failed' | 'stopped';

export interface RunRow {
  id: number;
  burstName: string;
  occurrence: string;
  state: RunState;
  /** What is being done, in words. */
  phase: string;
  definition: BurstDefinition;
  editionNumber: number;
  /** Dataset -> revision that this run reads, whatever is loaded meanwhile. */
  revisions: Record<string, number>;
  /** Version of the prepared workbook that it fills, where it fills one. */
  templateVersion: number | null;
  /** Version of the recipient list; nothing in runs from before lists were bound. */
  listVersion: number | null;
  senderId: string;
  stopAsked: boolean;
  pauseAsked: boolean;
  /** Every copy goes to the sender, and nobody counts as having theirs. */
  isTest: boolean;
  cause: RunCause;
  rowsRead: string | number;
  error: string | null;
  createdAt: Date;
  startedAt: Date | null;
  finishedAt: Date | null;
  /** Until when its files lie ready; nothing where they are not kept. */
  keptUntil: Date | null;
}

export type RunCause = 'hand' | 'schedule';
/** States in which a run has not finished. */
export const activeStates: RunState[] = ['waiting', 'running', 'paused'];

export type DeliveryState = 'planned' | 'skipped' | 'rendered' | 'sending' | 'sent' | 'failed' | 'in doubt';

/** A file of a copy as it was made. */
export interface MadeFile extends PlannedFile {
  readonly sizeBytes?: number;
  readonly sha256?: string;
}

export interface DeliveryRow {
  id: number;
  runId: number;
  burstName: string;
  occurrence: string;
  recipient: string;
  address: string;
  repeat: number;
  value: Value | null;
  rowCount: string | number;
  files: MadeFile[];
  state: DeliveryState;
  reason: string | null;
  messageId: string | null;
  changedAt: Date;
  isTest: boolean;
  /** How often the destination was asked to take it. */
  attempts: number;
  /** Name of the destination that it goes to. */
  destination: string;
  /** Where its files lie, at a destination that has places for them. */
  places: string[] | null;
}

const tables = (app: App) => ({
  bursts: defineRecord<BurstRow>(app.records, 'bursts', {
    name: 'key',
    definition: 'json',
    ownerId: 'text',
    nextRunAt: 'instant',
  }),
  runs: defineRecord<RunRow>(app.records, 'runs', {
    id: 'serial',
    burstName: 'text',
    occurrence: 'text',
    state: 'text',
    phase: 'text',
    definition: 'json',
    editionNumber: 'integer',
    revisions: 'json',
    templateVersion: 'integer',
    listVersion: 'integer',
    senderId: 'text',
    stopAsked: 'boolean',
    pauseAsked: 'boolean',
    isTest: 'boolean',
    cause: 'text',
    rowsRead: 'integer',
    error: 'text',
    createdAt: 'instant',
    startedAt: 'instant',
    finishedAt: 'instant',
    keptUntil: 'instant',
  }),
  deliveries: defineRecord<DeliveryRow>(app.records, 'deliveries', {
    id: 'serial',
    runId: 'integer',
    burstName: 'text',
    occurrence: 'text',
    recipient: 'text',
    address: 'text',
    repeat: 'integer',
    value: 'json',
    rowCount: 'integer',
    files: 'json',
    state: 'text',
    reason: 'text',
    messageId: 'text',
    changedAt: 'instant',
    isTest: 'boolean',
    attempts: 'integer',
    destination: 'text',
    places: 'json',
  }),
});

export async function putBurst(
  app: App,
  definition: BurstDefinition,
  ownerId: string,
  nextRunAt: Date | null,
  transaction: Transaction,
): Promise<void> {
  await tables(app).bursts.upsert({ name: definition.name, definition, ownerId, nextRunAt }, { transaction });
}

export async function findBurst(app: App, name: string): Promise<BurstRow | undefined> {
  const row = await tables(app).bursts.findByPk(name);
  return row ? plain(row) : undefined;
}

export async function listBursts(app: App): Promise<BurstRow[]> {
  return (await tables(app).bursts.findAll({ order: ['name'] })).map(plain);
}

/** States in which a copy has left, or may have: it is not made again unless asked. */
const left: DeliveryState[] = ['sent', 'sending', 'in doubt'];

/** Recipients who have this occurrence, with the run that sent it and how often. */
export async function sentBefore(
  app: App,
  burst: string,
  occurrence: string,
): Promise<Map<string, { run: number; repeat: number }>> {
  const rows = await tables(app).deliveries.findAll({
    where: { burstName: burst, occurrence, isTest: false, state: { [Op.in]: left } },
    order: [['repeat', 'ASC']],
  });
  return new Map(rows.map(plain).map((row) => [row.recipient, { run: row.runId, repeat: row.repeat }]));
}

export type NewRun = Pick<
  RunRow,
  | 'burstName'
  | 'occurrence'
  | 'definition'
  | 'editionNumber'
  | 'revisions'
  | 'templateVersion'
  | 'listVersion'
  | 'senderId'
  | 'isTest'
  | 'cause'
>;

/**
 * Opens a run with its ledger, one line per recipient.
 *
 * @param repeats - recipient -> how often the copy was sent before
 * @throws {Refusal} `RUN_ACTIVE` when another run of the burst is going on
 */
export async function addRun(
  app: App,
  run: NewRun,
  entries: readonly PlanEntry[],
  repeats: ReadonlyMap<string, number>,
  transaction: Transaction,
): Promise<number> {
  const { runs, deliveries } = tables(app);
  const active = await runs.findOne({
    where: { burstName: run.burstName, state: { [Op.in]: activeStates } },
    transaction,
  });
  if (active) {
    const { id } = plain(active);
    throw new Refusal('RUN_ACTIVE', `run ${id} of \`${run.burstName}\` is still going on`, {
      hint: `watch it: underbell burst status ${run.burstName}`,
    });
  }
  const now = new Date(app.now());
  const made = await runs.create(
    {
      ...run,
      state: 'waiting',
      phase: 'waiting for a worker',
      stopAsked: false,
      pauseAsked: false,
      rowsRead: 0,
      error: null,
      createdAt: now,
      startedAt: null,
      finishedAt: null,
      keptUntil: null,
    },
    { transaction },
  );
  const { id } = plain(made);
  await deliveries.bulkCreate(
    entries.map((entry) => ({
      runId: id,
      burstName: run.burstName,
      occurrence: run.occurrence,
      recipient: entry.recipient,
      address: entry.address,
      repeat: repeats.get(entry.recipient) ?? 0,
      value: entry.value ?? null,
      rowCount: entry.rows,
      files: [...entry.files],
      state: (entry.action === 'send' ? 'planned' : 'skipped') as DeliveryState,
      reason: entry.reason ?? null,
      messageId: null,
      changedAt: now,
      isTest: run.isTest,
      attempts: 0,
      destination: run.isTest ? ownMail : destinationName(run.definition.destination),
      places: null,
    })),
    { transaction },
  );
  return id;
}

export async function findRun(app: App, id: number): Promise<RunRow | undefined> {
  const row = await tables(app).runs.findByPk(id);
  return row ? plain(row) : undefined;
}

export async function listRuns(app: App, burst: string | undefined, limit: number): Promise<RunRow[]> {
  const where = burst === undefined ? {} : { burstName: burst };
  return (await tables(app).runs.findAll({ where, order: [['id', 'DESC']], limit })).map(plain);
}

export async function changeRun(app: App, id: number, change: Partial<RunRow>): Promise<void> {
  await tables(app).runs.update(change, { where: { id } });
}

/** Asks a run that has not finished to stop. @returns whether there was one */
export async function askToStop(app: App, id: number, transaction?: Transaction): Promise<boolean> {
  const [changed] = await tables(app).runs.update(
    { stopAsked: true },
    { where: { id, state: { [Op.in]: ['waiting', 'running'] } }, ...(transaction ? { transaction } : {}) },
  );
  return changed > 0;
}

/** Moves a run from one state to another, once. @returns whether it was in the first */
export async function moveRun(
  app: App,
  id: number,
  from: readonly RunState[],
  change: Partial<RunRow>,
  transaction?: Transaction,
): Promise<boolean> {
  const where = { id, state: { [Op.in]: [...from] } };
  const [changed] = await tables(app).runs.update(change, { where, ...(transaction ? { transaction } : {}) });
  return changed > 0;
}

/** Bursts whose time has come. */
export async function dueBursts(app: App): Promise<BurstRow[]> {
  const where = { nextRunAt: { [Op.lte]: new Date(app.now()) } };
  return (await tables(app).bursts.findAll({ where, order: ['nextRunAt'] })).map(plain);
}

/** Takes a burst that is due, once over all processes, and settles when it is next. */
export async function takeDueBurst(
  app: App,
  name: string,
  times: { at: Date; next: number | undefined },
  transaction: Transaction,
): Promise<boolean> {
  const nextRunAt = times.next === undefined ? null : new Date(times.next);
  const [taken] = await tables(app).bursts.update({ nextRunAt }, { where: { name, nextRunAt: times.at }, transaction });
  return taken > 0;
}

/** The last run that was no test and sent anything: what a plan is set beside. */
export async function lastSentRun(app: App, burst: string): Promise<RunRow | undefined> {
  const where = { burstName: burst, isTest: false, state: { [Op.in]: ['done', 'partly'] } };
  const row = await tables(app).runs.findOne({ where, order: [['id', 'DESC']] });
  return row ? plain(row) : undefined;
}

export async function listDeliveries(app: App, run: number, states?: readonly DeliveryState[]): Promise<DeliveryRow[]> {
  const where = states === undefined ? { runId: run } : { runId: run, state: { [Op.in]: [...states] } };
  return (await tables(app).deliveries.findAll({ where, order: ['id'] })).map(plain);
}

export async function findDelivery(app: App, id: number): Promise<DeliveryRow | undefined> {
  const row = await tables(app).deliveries.findByPk(id);
  return row ? plain(row) : undefined;
}

/** Runs whose files are kept for no longer. */
export async function spentRuns(app: App): Promise<RunRow[]> {
  return (await tables(app).runs.findAll({ where: { keptUntil: { [Op.lte]: new Date(app.now()) } } })).map(plain);
}

/** Moves deliveries on; only from a state they are in, so that two workers cannot both take one. @returns how many moved */
export async function moveDeliveries(
  app: App,
  which: { ids: readonly number[] } | { run: number },
  from: readonly DeliveryState[],
  change: Partial<Pick<DeliveryRow, 'reason' | 'files' | 'messageId' | 'attempts' | 'places'>> & {
    state: DeliveryState;
  },
  transaction?: Transaction,
): Promise<number> {
  const where = 'ids' in which ? { id: { [Op.in]: [...which.ids] } } : { runId: which.run };
  const [moved] = await tables(app).deliveries.update(
    { ...change, changedAt: new Date(app.now()) },
    { where: { ...where, state: { [Op.in]: [...from] } }, ...(transaction ? { transaction } : {}) },
  );
  return moved;
}

/** How many deliveries of a run are in each state. */
export async function countDeliveries(app: App, run: number): Promise<Partial<Record<DeliveryState, number>>> {
  const rows = await app.records.query<{ state: DeliveryState; count: string }>(
    'SELECT state, count(*) AS count FROM deliveries WHERE run_id = :run GROUP BY state',
    { replacements: { run }, type: QueryTypes.SELECT },
  );
  return Object.fromEntries(rows.map((row) => [row.state, Number(row.count)]));
}
