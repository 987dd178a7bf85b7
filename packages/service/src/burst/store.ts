import { isDeepStrictEqual } from 'node:util';
import { col, fn, Op, type Model, Transaction } from 'sequelize';
import { destinationName, ownMail, type BurstDefinition, type PlanEntry, type RunStatus } from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import { all, one, plain, type App } from '../platform/index.ts';
import { openLedger } from '../deliver/index.ts';
import { bursts, runs, type BurstRow, type RunRow } from './models.ts';

/** States in which a run has not finished. */
export const activeStates: RunStatus[] = ['held', 'waiting', 'running', 'paused'];

export async function putBurst(
  app: App,
  definition: BurstDefinition,
  rest: Pick<BurstRow, 'ownerId' | 'nextRunAt' | 'awaitsSince'>,
): Promise<void> {
  const { ownerId, nextRunAt, awaitsSince } = rest;
  const row = { name: definition.name, definition, ownerId, nextRunAt, awaitsSince, deletedAt: null };
  await bursts(app).upsert(row);
}

export async function findBurst(app: App, name: string): Promise<BurstRow | undefined> {
  return one(bursts(app).findOne({ where: { name, deletedAt: null } }));
}

/** Whether a burst of this name was taken away: whoever could change it may set it up again, and nobody else. */
export async function wasBurst(app: App, name: string): Promise<boolean> {
  return (await bursts(app).count({ where: { name } })) > 0;
}

export async function listBursts(app: App): Promise<BurstRow[]> {
  return all(bursts(app).findAll({ where: { deletedAt: null }, order: ['name'] }));
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
  const active = await runs(app).findOne({
    where: { burstName: run.burstName, state: { [Op.in]: activeStates } },
  });
  if (active) {
    const { id } = plain(active);
    throw new Refusal('RUN_ACTIVE', `Run ${id} of burst “${run.burstName}” is still running.`, {
      hint: `See: underbell burst status ${run.burstName}`,
    });
  }
  const now = new Date(app.now());
  const needsRelease = !run.isTest && run.definition.release !== undefined;
  const made = await runs(app).create({
    ...run,
    state: needsRelease ? 'held' : 'waiting',
    phase: needsRelease ? 'awaiting approval' : 'waiting for a worker',
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
  await openLedger(
    app,
    {
      runId: id,
      burstName: run.burstName,
      occurrence: run.occurrence,
      isTest: run.isTest,
      destination: run.isTest ? ownMail : destinationName(run.definition.destination),
    },
    entries.map((entry) => ({
      ...entry,
      repeat: repeats.get(entry.recipient) ?? 0,
      isSent: entry.action === 'send',
    })),
  );
  return id;
}

export async function findRun(app: App, id: number): Promise<RunRow | undefined> {
  return one(runs(app).findByPk(id));
}

export async function findRuns(app: App, ids: readonly number[]): Promise<RunRow[]> {
  return all(runs(app).findAll({ where: { id: { [Op.in]: [...ids] } }, order: [['id', 'DESC']] }));
}

/** The bursts that were ever run. */
export async function runBursts(app: App): Promise<string[]> {
  const rows = await runs(app).findAll({ attributes: [[fn('DISTINCT', col('burst_name')), 'name']], raw: true });
  return rows.map((row) => (row as unknown as { name: string }).name);
}

/** Runs of some bursts, newest first. @param before - exclusive upper bound of their numbers */
export async function listRuns(
  app: App,
  bursts: readonly string[],
  { before, count }: { readonly before?: number; readonly count: number },
): Promise<RunRow[]> {
  const where = { burstName: [...bursts], ...(before === undefined ? {} : { id: { [Op.lt]: before } }) };
  return all(runs(app).findAll({ where, order: [['id', 'DESC']], limit: count }));
}

/** The last run of each of some bursts. */
export async function lastRuns(app: App, bursts: readonly string[]): Promise<RunRow[]> {
  const newest = await runs(app).findAll({
    attributes: [[fn('max', col('id')), 'id']],
    where: { burstName: [...bursts] },
    group: ['burst_name'],
    raw: true,
  });
  return all(runs(app).findAll({ where: { id: newest.map((one) => (one as unknown as { id: number }).id) } }));
}

export async function changeRun(app: App, id: number, change: Partial<RunRow>): Promise<void> {
  await runs(app).update(change, { where: { id } });
}

/** Asks a run that has not finished to stop. @returns whether there was one */
export async function askToStop(app: App, id: number): Promise<boolean> {
  const [changed] = await runs(app).update(
    { stopAsked: true },
    { where: { id, state: { [Op.in]: ['waiting', 'running'] } } },
  );
  return changed > 0;
}

/** Holds a run for the length of a transaction, so that its state is looked at and changed as one. */
export async function holdRun(app: App, id: number): Promise<void> {
  await runs(app).findByPk(id, { attributes: ['id'], lock: Transaction.LOCK.UPDATE });
}

/** Moves a run from one state to another, once. @returns whether it was in the first */
export async function moveRun(
  app: App,
  id: number,
  from: readonly RunStatus[],
  change: Partial<RunRow>,
): Promise<boolean> {
  const where = { id, state: { [Op.in]: [...from] } };
  const [changed] = await runs(app).update(change, { where });
  return changed > 0;
}

/** Lets a run rest that somebody wants paused, and nobody stopped or continued meanwhile. @returns whether it rests */
export async function restRun(app: App, id: number): Promise<boolean> {
  const [changed] = await runs(app).update(
    { state: 'paused', phase: '' },
    { where: { id, state: 'running', pauseAsked: true, stopAsked: false } },
  );
  return changed > 0;
}

/** Bursts whose time has come. */
export async function dueBursts(app: App): Promise<BurstRow[]> {
  const where = { deletedAt: null, nextRunAt: { [Op.lte]: new Date(app.now()) } };
  return all(bursts(app).findAll({ where, order: ['nextRunAt'] }));
}

/** Takes a burst that is due, once over all processes, and settles when it is next. */
export async function takeDueBurst(
  app: App,
  name: string,
  times: { at: Date; next: number | undefined },
): Promise<boolean> {
  const nextRunAt = times.next === undefined ? null : new Date(times.next);
  const [taken] = await bursts(app).update({ nextRunAt }, { where: { name, nextRunAt: times.at } });
  return taken > 0;
}

/** Settles anew when a burst runs next. */
export async function changeNextRun(app: App, name: string, nextRunAt: Date | null): Promise<void> {
  await bursts(app).update({ nextRunAt }, { where: { name } });
}

/** Runs whose files are kept for no longer. */
export async function expiredRuns(app: App): Promise<RunRow[]> {
  return all(runs(app).findAll({ where: { keptUntil: { [Op.lte]: new Date(app.now()) } } }));
}

/** What days in words count from in a run; milliseconds since 1970-01-01T00:00:00Z. */
export const asOfRun = ({ asOf, createdAt }: Pick<RunRow, 'asOf' | 'createdAt'>): number =>
  (asOf ?? createdAt).getTime();

/** Lets the definitions of bursts and of their runs follow something that was given another name. */
export async function rewriteDefinitions(
  app: App,
  rewrite: (definition: BurstDefinition) => BurstDefinition,
): Promise<void> {
  const change = async (row: Model) => {
    const definition = row.get('definition') as BurstDefinition;
    const written = rewrite(definition);
    if (!isDeepStrictEqual(written, definition)) await row.update({ definition: written });
  };
  for (const row of await bursts(app).findAll()) await change(row);
  // A ledger may be long: a thousand runs at a time.
  for (let last = 0; ;) {
    const some = await runs(app).findAll({ where: { id: { [Op.gt]: last } }, order: ['id'], limit: 1_000 });
    if (some.length === 0) return;
    for (const row of some) await change(row);
    last = plain(some.at(-1)!).id;
  }
}
