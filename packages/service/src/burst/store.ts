import { isDeepStrictEqual } from 'node:util';
import { Op, QueryTypes, type Model, Transaction } from 'sequelize';
import {
  destinationName,
  ownMail,
  type BurstDefinition,
  type DeliveryState,
  type PlanEntry,
  type RunCause,
  type RunState,
} from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import { defineRecord, plain, type App } from '../platform/index.ts';
import { deliveriesOf, sealedCut } from './deliveryStore.ts';

export interface BurstRow {
  name: string;
  definition: BurstDefinition;
  ownerId: string;
  /** When its schedule starts it next. */
  nextRunAt: Date | null;
  /** Since when it awaits that its data is loaded anew; nothing for those that do not, or always did. */
  awaitsSince: Date | null;
  /** Taken away; its ledger stays. */
  deletedAt: Date | null;
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
  /** What days in words count from; nothing in runs from before that was kept. */
  asOf: Date | null;
  startedAt: Date | null;
  finishedAt: Date | null;
  /** Until when its files lie ready; nothing where they are not kept. */
  keptUntil: Date | null;
}

/** States in which a run has not finished. */
export const activeStates: RunState[] = ['held', 'waiting', 'running', 'paused'];

const tables = (app: App) => ({
  bursts: defineRecord<BurstRow>(app.records, 'bursts', {
    name: 'key',
    definition: 'json',
    ownerId: 'text',
    nextRunAt: 'instant',
    awaitsSince: 'instant',
    deletedAt: 'instant',
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
    asOf: 'instant',
    startedAt: 'instant',
    finishedAt: 'instant',
    keptUntil: 'instant',
  }),
});

export async function putBurst(
  app: App,
  definition: BurstDefinition,
  rest: Pick<BurstRow, 'ownerId' | 'nextRunAt' | 'awaitsSince'>,
): Promise<void> {
  const { ownerId, nextRunAt, awaitsSince } = rest;
  const row = { name: definition.name, definition, ownerId, nextRunAt, awaitsSince, deletedAt: null };
  await tables(app).bursts.upsert(row);
}

export async function findBurst(app: App, name: string): Promise<BurstRow | undefined> {
  const row = await tables(app).bursts.findOne({ where: { name, deletedAt: null } });
  return row ? plain(row) : undefined;
}

/** Whether a burst of this name was taken away: whoever could change it may set it up again, and nobody else. */
export async function wasBurst(app: App, name: string): Promise<boolean> {
  return (await tables(app).bursts.count({ where: { name } })) > 0;
}

export async function listBursts(app: App): Promise<BurstRow[]> {
  return (await tables(app).bursts.findAll({ where: { deletedAt: null }, order: ['name'] })).map(plain);
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
): Promise<number> {
  const { runs } = tables(app);
  const active = await runs.findOne({
    where: { burstName: run.burstName, state: { [Op.in]: activeStates } },
  });
  if (active) {
    const { id } = plain(active);
    throw new Refusal('RUN_ACTIVE', `run ${id} of \`${run.burstName}\` is still going on`, {
      hint: `watch it: underbell burst status ${run.burstName}`,
    });
  }
  const now = new Date(app.now());
  const needsRelease = !run.isTest && run.definition.release !== undefined;
  const made = await runs.create({
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
  });
  const { id } = plain(made);
  await deliveriesOf(app).bulkCreate(
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
export async function askToStop(app: App, id: number): Promise<boolean> {
  const [changed] = await tables(app).runs.update(
    { stopAsked: true },
    { where: { id, state: { [Op.in]: ['waiting', 'running'] } } },
  );
  return changed > 0;
}

/** Holds a run for the length of a transaction, so that its state is looked at and changed as one. */
export async function holdRun(app: App, id: number): Promise<void> {
  await tables(app).runs.findByPk(id, { attributes: ['id'], lock: Transaction.LOCK.UPDATE });
}

/** Moves a run from one state to another, once. @returns whether it was in the first */
export async function moveRun(
  app: App,
  id: number,
  from: readonly RunState[],
  change: Partial<RunRow>,
): Promise<boolean> {
  const where = { id, state: { [Op.in]: [...from] } };
  const [changed] = await tables(app).runs.update(change, { where });
  return changed > 0;
}

/** Lets a run rest that somebody wants paused, and nobody stopped or continued meanwhile. @returns whether it rests */
export async function restRun(app: App, id: number): Promise<boolean> {
  const [changed] = await tables(app).runs.update(
    { state: 'paused', phase: '' },
    { where: { id, state: 'running', pauseAsked: true, stopAsked: false } },
  );
  return changed > 0;
}

/** Bursts whose time has come. */
export async function dueBursts(app: App): Promise<BurstRow[]> {
  const where = { deletedAt: null, nextRunAt: { [Op.lte]: new Date(app.now()) } };
  return (await tables(app).bursts.findAll({ where, order: ['nextRunAt'] })).map(plain);
}

/** Takes a burst that is due, once over all processes, and settles when it is next. */
export async function takeDueBurst(
  app: App,
  name: string,
  times: { at: Date; next: number | undefined },
): Promise<boolean> {
  const nextRunAt = times.next === undefined ? null : new Date(times.next);
  const [taken] = await tables(app).bursts.update({ nextRunAt }, { where: { name, nextRunAt: times.at } });
  return taken > 0;
}

/** Settles anew when a burst runs next. */
export async function changeNextRun(app: App, name: string, nextRunAt: Date | null): Promise<void> {
  await tables(app).bursts.update({ nextRunAt }, { where: { name } });
}

/**
 * Takes a burst that runs after a refresh, once a day over all processes; one that was set up after the refresh waits for
 * the next.
 *
 * @param refreshed - when the data was loaded, if that is known, and the day, `YYYY-MM-DD`
 */
export async function takeRefreshedBurst(
  app: App,
  name: string,
  { today, at }: { readonly today: string; readonly at: Date | null },
): Promise<boolean> {
  const taken = await app.records.query(
    `UPDATE bursts SET refreshed_on = $today WHERE name = $name AND refreshed_on IS DISTINCT FROM $today::date
       AND (awaits_since IS NULL OR $at::timestamptz IS NULL OR awaits_since <= $at) RETURNING name`,
    { bind: { name, today, at }, type: QueryTypes.SELECT },
  );
  return taken.length > 0;
}

/** The last run that was no test and sent anything: what a plan is set beside. */
export async function lastSentRun(app: App, burst: string): Promise<RunRow | undefined> {
  const where = { burstName: burst, isTest: false, state: { [Op.in]: ['done', 'partly'] } };
  const row = await tables(app).runs.findOne({ where, order: [['id', 'DESC']] });
  return row ? plain(row) : undefined;
}

/** Runs whose files are kept for no longer. */
export async function spentRuns(app: App): Promise<RunRow[]> {
  return (await tables(app).runs.findAll({ where: { keptUntil: { [Op.lte]: new Date(app.now()) } } })).map(plain);
}

/** What days in words count from in a run; milliseconds since 1970-01-01T00:00:00Z. */
export const asOfRun = ({ asOf, createdAt }: Pick<RunRow, 'asOf' | 'createdAt'>): number =>
  (asOf ?? createdAt).getTime();

/** Lets the definitions of bursts and of their runs follow something that was given another name. */
export async function rewriteDefinitions(
  app: App,
  rewrite: (definition: BurstDefinition) => BurstDefinition,
): Promise<void> {
  const { bursts, runs } = tables(app);
  const change = async (row: Model) => {
    const definition = row.get('definition') as BurstDefinition;
    const written = rewrite(definition);
    if (!isDeepStrictEqual(written, definition)) await row.update({ definition: written });
  };
  for (const row of await bursts.findAll()) await change(row);
  // A ledger may be long: a thousand runs at a time.
  for (let last = 0; ;) {
    const some = await runs.findAll({ where: { id: { [Op.gt]: last } }, order: ['id'], limit: 1_000 });
    if (some.length === 0) return;
    for (const row of some) await change(row);
    last = plain(some.at(-1)!).id;
  }
}
