import { createHash } from 'node:crypto';
import { Op, Transaction } from 'sequelize';
import type { DatasetColumn, DatasetShape } from '@underbell/core/dataset';
import { notFound } from '../access/index.ts';
import { rows, highest, announce, emit, all, one, plain, recall, type App } from '../platform/index.ts';
import { datasets, revisions, type DatasetRow, type RevisionRow, type RefreshCause } from './models.ts';
import { boundRevisions } from './tables.sql.ts';

/** What a definition says; the rest comes by itself. */
export type DatasetSpecRow = Pick<DatasetRow, 'name' | 'title' | 'sourceName' | 'sql' | 'columns' | 'rowOrder'> &
  Partial<Pick<DatasetRow, 'description' | 'kind' | 'keepSeconds' | 'ownerEmail'>>;

/** A revision that can be read: which table, which columns, how old. */
export interface Revision {
  readonly id: number;
  readonly number: number;
  readonly shape: DatasetShape;
  readonly table: string;
  readonly rowCount: number;
  readonly loadedAt: Date;
  /** A live dataset: its rows are asked of this source, in this query. */
  readonly isLive?: boolean;
  readonly live?: { readonly source: string; readonly sql: string };
  /** How long answers of a live dataset are kept, milliseconds. */
  readonly keepMs?: number;
  readonly staleSince?: Date;
  readonly staleReason?: string;
}

export async function listDatasets(app: App): Promise<DatasetRow[]> {
  return all(datasets(app).findAll({ where: { deletedAt: null }, order: ['name'] }));
}

export async function findDatasetRow(app: App, name: string): Promise<DatasetRow | undefined> {
  return recall(`dataset ${name}`, async () => {
    const row = await datasets(app).findByPk(name);
    return row && row.get('deletedAt') === null ? plain(row) : undefined;
  });
}

export async function isDatasetBinned(app: App, name: string): Promise<boolean> {
  const row = await datasets(app).findByPk(name);
  return row !== null && row.get('deletedAt') !== null;
}

export async function changeDataset(app: App, name: string, change: Partial<DatasetRow>): Promise<void> {
  await datasets(app).update(change, { where: { name } });
}

/** Datasets whose time to be loaded has come. */
export async function dueDatasets(app: App): Promise<DatasetRow[]> {
  const rows = await datasets(app).findAll({
    where: { deletedAt: null, nextRefreshAt: { [Op.lte]: new Date(app.now()) } },
    order: ['nextRefreshAt'],
  });
  return rows.map(plain);
}

export async function findRevisionRow(app: App, id: number): Promise<RevisionRow | undefined> {
  return recall(`revision ${id}`, async () => {
    return one(revisions(app).findByPk(id));
  });
}

/** When the oldest of what some datasets show was loaded; null where there is nothing, or all of it is live. */
export async function loadedSince(app: App, names: readonly string[]): Promise<Date | null> {
  const shown = await rows(datasets(app), {
    attributes: ['revisionId'],
    where: { name: [...names], kind: 'snapshot' },
  });
  const found = await findRevisionRows(
    app,
    shown.flatMap(({ revisionId }) => revisionId ?? []),
  );
  const times = [...found.values()].flatMap(({ finishedAt }) => finishedAt?.getTime() ?? []);
  return times.length === 0 ? null : new Date(Math.min(...times));
}

/** Revisions by their numbers. */
export async function findRevisionRows(app: App, ids: readonly number[]): Promise<ReadonlyMap<number, RevisionRow>> {
  const found = await all(revisions(app).findAll({ where: { id: { [Op.in]: [...ids] } } }));
  return new Map(found.map((row) => [row.id, row]));
}

export async function changeRevision(app: App, id: number, change: Partial<RevisionRow>): Promise<void> {
  await revisions(app).update(change, { where: { id } });
}

/** The shape of a dataset. @throws {Refusal} `NOT_FOUND` */
export async function findDataset(app: App, name: string): Promise<DatasetShape> {
  const row = await findDatasetRow(app, name);
  // Which others there are, only those hear who may see them.
  if (!row) throw notFound('dataset', name, []);
  return { name, columns: row.columns };
}

export async function putDataset(app: App, row: DatasetSpecRow): Promise<void> {
  const known = await datasets(app).findByPk(row.name);
  if (known) await known.update(row);
  else await datasets(app).create({ description: '', kind: 'snapshot', ...row, revisionId: null });
}

export async function setColumns(app: App, name: string, columns: DatasetColumn[]): Promise<void> {
  await datasets(app).update({ columns }, { where: { name } });
}

/** Opens the next revision, not yet shown to anybody. */
export async function startRevision(
  app: App,
  dataset: string,
  columns: DatasetColumn[],
  by: { cause: RefreshCause; who: string },
): Promise<RevisionRow> {
  return app.records.transaction(async () => {
    await datasets(app).findByPk(dataset, { lock: Transaction.LOCK.UPDATE });
    const number = (await highest(revisions(app), 'number', { datasetName: dataset })) + 1;
    const made = await revisions(app).create({
      datasetName: dataset,
      number,
      columns,
      // Named by its number below, which no other has however long the dataset's name is.
      tableName: '',
      rowCount: 0,
      state: 'loading',
      error: null,
      startedAt: new Date(app.now()),
      finishedAt: null,
      cause: by.cause,
      startedBy: by.who,
      impact: [],
      stopAsked: false,
      shownAt: null,
    });
    await made.update({ tableName: `r${plain(made).id}` });
    return plain(made);
  });
}

export async function finishRevision(
  app: App,
  revision: RevisionRow,
  outcome: { rows: number } | { error: string; state?: RevisionRow['state']; impact?: RevisionRow['impact'] },
): Promise<void> {
  const finishedAt = new Date(app.now());
  if ('error' in outcome) {
    await revisions(app).update(
      { state: outcome.state ?? 'failed', error: outcome.error, impact: outcome.impact ?? [], finishedAt },
      { where: { id: revision.id } },
    );
    return;
  }
  await revisions(app).update(
    { state: 'ready', rowCount: outcome.rows, finishedAt, shownAt: finishedAt },
    { where: { id: revision.id } },
  );
  await datasets(app).update(
    { revisionId: revision.id, staleSince: null, staleReason: null },
    { where: { name: revision.datasetName } },
  );
  await announce(app, { kind: 'dataset', name: revision.datasetName });
  const news = { name: revision.datasetName, at: finishedAt.getTime() };
  await emit(app, 'dataset.refreshed', news);
}

/** A revision of a dataset by its number, whose rows are still there. */
export async function findKeptRevision(app: App, dataset: string, number: number): Promise<RevisionRow | undefined> {
  return one(revisions(app).findOne({ where: { datasetName: dataset, number, state: 'ready' } }));
}

/**
 * Shows a revision that is still there in place of the one that is shown.
 *
 * @returns whether it was still there when it was to be shown
 */
export async function showRevision(
  app: App,
  { id, datasetName }: RevisionRow,
  columns: DatasetColumn[],
): Promise<boolean> {
  const kept = await revisions(app).findOne({ where: { id, state: 'ready' }, lock: Transaction.LOCK.UPDATE });
  if (!kept) return false;
  await kept.update({ shownAt: new Date(app.now()) });
  await datasets(app).update({ revisionId: id, columns }, { where: { name: datasetName } });
  await announce(app, { kind: 'dataset', name: datasetName });
  return true;
}

/** A load whose process died is over; the lock that it held is free. */
export async function failLostLoads(app: App, dataset: string): Promise<void> {
  await revisions(app).update(
    { state: 'failed', error: 'the process that loaded it ended', finishedAt: new Date(app.now()) },
    { where: { datasetName: dataset, state: 'loading' } },
  );
}

/** Asks a load that is under way to stop. @returns whether there is one */
export async function askLoadToStop(app: App, dataset: string): Promise<boolean> {
  const [count] = await revisions(app).update(
    { stopAsked: true },
    { where: { datasetName: dataset, state: 'loading' } },
  );
  return count > 0;
}

/**
 * Revisions whose tables nobody can come to read any more: all but the one that is shown, those that were shown last, and
 * those that a run is bound to which has not ended, however long it is held, paused or waits.
 */
export async function spentRevisions(app: App, dataset: string): Promise<RevisionRow[]> {
  const ready = await revisions(app).findAll({
    where: { datasetName: dataset, state: 'ready' },
    order: [
      ['shownAt', 'DESC NULLS LAST'],
      ['number', 'DESC'],
    ],
    offset: app.settings.keep.versions,
  });
  const shown = (await findDatasetRow(app, dataset))?.revisionId;
  const bound = await boundRevisions(app);
  const held = new Set([...bound, shown]);
  return ready.map(plain).filter((row) => !held.has(row.id));
}

async function datasetsIn(app: App, state: RevisionRow['state']): Promise<string[]> {
  const found = await rows(revisions(app), { attributes: ['datasetName'], where: { state }, group: ['datasetName'] });
  return found.map((row) => row.datasetName);
}

/** Datasets with some revision that is ready. */
export const loadedDatasets = (app: App): Promise<string[]> => datasetsIn(app, 'ready');
/** Datasets that are being loaded, or were when the loader died. */
export const loadingDatasets = (app: App): Promise<string[]> => datasetsIn(app, 'loading');

/** Says that a revision's rows go. @returns whether they may: not while the revision is shown */
export async function markDropped(app: App, id: number): Promise<boolean> {
  return app.records.transaction(async () => {
    // Whoever goes back to it holds it: what was shown meanwhile is seen by what is asked after this only.
    await revisions(app).findByPk(id, { attributes: ['id'], lock: Transaction.LOCK.UPDATE });
    if ((await datasets(app).count({ where: { revisionId: id } })) > 0) return false;
    const [changed] = await revisions(app).update({ state: 'dropped' }, { where: { id, state: 'ready' } });
    return changed > 0;
  });
}

/** The dataset that a refresh address loads. */
export async function findHook(app: App, hook: string): Promise<string | undefined> {
  const found = await one(datasets(app).findOne({ where: { hookFingerprint: hook, deletedAt: null } }));
  return found?.name;
}

/** Takes a dataset that is due, once over all processes. */
export async function takeDue(app: App, { name, nextRefreshAt }: DatasetRow): Promise<boolean> {
  const [taken] = await datasets(app).update({ nextRefreshAt: null }, { where: { name, nextRefreshAt } });
  return taken > 0;
}

export async function listRevisions(app: App, dataset: string): Promise<RevisionRow[]> {
  return (
    await revisions(app).findAll({ where: { datasetName: dataset }, order: [['number', 'DESC']], limit: 50 })
  ).map(plain);
}

function toRevision(row: RevisionRow, dataset: DatasetRow): Revision {
  // Labels and keys may be mended without loading anew, so they come from the dataset; the revision has the columns.
  const kept = new Set(row.columns.map((one) => one.name));
  const { staleSince, staleReason } = dataset;
  return {
    id: row.id,
    number: row.number,
    shape: { name: dataset.name, columns: dataset.columns.filter((one) => kept.has(one.name)) },
    table: row.tableName,
    rowCount: row.rowCount,
    loadedAt: row.finishedAt!,
    ...(staleSince ? { staleSince, staleReason: staleReason ?? '' } : {}),
  };
}

/** How long answers of a live dataset are shown again when it does not say. */
export const usualKeepSeconds = 60;

/** A live dataset always is its newest revision; its number never changes, its answers do. */
function liveRevision(app: App, row: DatasetRow): Revision {
  return {
    // Below zero, so that no snapshot's answers are ever taken for it; a new definition is a new number.
    id:
      -1 -
      createHash('sha256')
        .update(JSON.stringify([row.name, row.sql, row.sourceName]))
        .digest()
        .readUInt32BE(0),
    number: 0,
    shape: { name: row.name, columns: row.columns },
    table: '',
    rowCount: 0,
    loadedAt: new Date(app.now()),
    isLive: true,
    live: { source: row.sourceName!, sql: row.sql! },
    keepMs: (row.keepSeconds ?? usualKeepSeconds) * 1000,
  };
}

/** The revision that is shown now, or one that a run is bound to. @throws {Refusal} `NOT_FOUND` when there is no data yet */
export async function readableRevision(app: App, dataset: string, boundTo?: number): Promise<Revision> {
  const row = await findDatasetRow(app, dataset);
  if (row?.kind === 'live') return liveRevision(app, row);
  const id = boundTo ?? row?.revisionId ?? undefined;
  const revision = id === undefined ? undefined : await findRevisionRow(app, id);
  if (!row || revision?.state !== 'ready') throw notFound('data in dataset', dataset, []);
  return toRevision(revision, row);
}
