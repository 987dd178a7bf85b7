import { Op, QueryTypes, type Transaction } from 'sequelize';
import {
  destinationName,
  ownMail,
  type BurstDefinition,
  type Cut,
  type DeliveryState,
  type PlanEntry,
  type PlannedFile,
  type RunCause,
  type RunState,
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
  /** Address of the second person who let it go. */
  releasedBy: string | null;
  rowsRead: string | number;
  error: string | null;
  createdAt: Date;
  startedAt: Date | null;
  finishedAt: Date | null;
  /** Until when its files lie ready; nothing where they are not kept. */
  keptUntil: Date | null;
}

/** States in which a run has not finished. */
export const activeStates: RunState[] = ['held', 'waiting', 'running', 'paused'];

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
  /** What the copy holds, in runs from before cuts had more than one value. */
  value: Value | null;
  cut: Cut | null;
  /** The limits of this one copy, in words. */
  filter: string | null;
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
  /** When and why the letter came back after its mail host had taken it. */
  bouncedAt: Date | null;
  bounce: string | null;
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
    releasedBy: 'text',
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
    cut: 'json',
    filter: 'text',
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
    bouncedAt: 'instant',
    bounce: 'text',
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
  entries: readonly (PlanEntry & { readonly filter: string })[],
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
  const needsRelease = !run.isTest && run.definition.release !== undefined;
  const made = await runs.create(
    {
      ...run,
      state: needsRelease ? 'held' : 'waiting',
      phase: needsRelease ? 'waiting for a second person' : 'waiting for a worker',
      releasedBy: null,
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
      value: null,
      cut: sealedCut(app, entry.cut),
      filter: entry.filter,
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
      bouncedAt: null,
      bounce: null,
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

const passwordPurpose = 'copy password';

/** A cut as it is kept: nobody who reads the records reads a password. */
function sealedCut(app: App, cut: Cut | undefined): Cut | null {
  if (cut?.password === undefined) return cut ?? null;
  return { ...cut, password: app.vault.seal(cut.password, passwordPurpose) };
}

/** What a copy was cut by; runs from before cuts had one value of the only bound parameter. */
export function cutOfDelivery(app: App, { cut, value }: DeliveryRow, definition: BurstDefinition): Cut | undefined {
  if (cut !== null)
    return cut.password === undefined ? cut : { ...cut, password: app.vault.open(cut.password, passwordPurpose) };
  const [column] = Object.values(definition.bind ?? {});
  return value === null || column === undefined ? undefined : { fields: { [column]: [String(value)] } };
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

/** Settles anew when a burst runs next. */
export async function changeNextRun(app: App, name: string, nextRunAt: Date | null): Promise<void> {
  await tables(app).bursts.update({ nextRunAt }, { where: { name } });
}

/** Takes a burst that runs after a refresh, once a day over all processes. @param today - `YYYY-MM-DD` */
export async function takeRefreshedBurst(
  app: App,
  name: string,
  today: string,
  transaction: Transaction,
): Promise<boolean> {
  const taken = await app.records.query(
    'UPDATE bursts SET refreshed_on = $today WHERE name = $name AND refreshed_on IS DISTINCT FROM $today::date RETURNING name',
    { bind: { name, today }, type: QueryTypes.SELECT, transaction },
  );
  return taken.length > 0;
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

/** When a run's last copy left. */
export async function lastSentAt(app: App, run: number): Promise<Date | undefined> {
  const where = { runId: run, state: 'sent' as const };
  const row = await tables(app).deliveries.findOne({ where, order: [['changedAt', 'DESC']] });
  return row ? plain(row).changedAt : undefined;
}

export async function findDelivery(app: App, id: number): Promise<DeliveryRow | undefined> {
  const row = await tables(app).deliveries.findByPk(id);
  return row ? plain(row) : undefined;
}

/** Notes that a copy came back; the first notice counts. */
export async function noteBounce(app: App, id: number, reason: string): Promise<void> {
  const change = { bouncedAt: new Date(app.now()), bounce: reason };
  await tables(app).deliveries.update(change, { where: { id, bouncedAt: null } });
}

/** Recipient -> why the last copy that came back did, of those whose newest copy came back. */
export async function bouncedBefore(app: App, burst: string): Promise<Map<string, string>> {
  const rows = await app.records.query<{ recipient: string; bounce: string | null }>(
    `SELECT DISTINCT ON (recipient) recipient, bounce FROM deliveries
     WHERE burst_name = $burst AND state = 'sent' AND NOT is_test ORDER BY recipient, id DESC`,
    { bind: { burst }, type: QueryTypes.SELECT },
  );
  return new Map(rows.flatMap(({ recipient, bounce }) => (bounce === null ? [] : [[recipient, bounce] as const])));
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
export async function countDeliveries(
  app: App,
  run: number,
): Promise<Partial<Record<DeliveryState | 'bounced', number>>> {
  const rows = await app.records.query<{ state: DeliveryState; count: string; bounced: string }>(
    'SELECT state, count(*) AS count, count(bounced_at) AS bounced FROM deliveries WHERE run_id = :run GROUP BY state',
    { replacements: { run }, type: QueryTypes.SELECT },
  );
  const bounced = rows.reduce((sum, row) => sum + Number(row.bounced), 0);
  return { ...Object.fromEntries(rows.map((row) => [row.state, Number(row.count)])), bounced };
}
