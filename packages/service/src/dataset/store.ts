import { createHash } from 'node:crypto';
import { Op, QueryTypes, type Model, Transaction } from 'sequelize';
import type { DatasetColumn, DatasetShape, FileDialect } from '@underbell/core/dataset';
import { noSuch } from '../access/index.ts';
import { announce, emit, defineRecord, plain, recall, type App } from '../platform/index.ts';

export interface DatasetRow {
  name: string;
  title: string;
  sourceName: string | null;
  sql: string | null;
  columns: DatasetColumn[];
  /** Columns by which a snapshot is laid out; rows of a copy come in this order. */
  rowOrder: string[];
  revisionId: number | null;
  description: string;
  kind: DatasetKind;
  /** How long an answer of a live dataset may be shown again. */
  keepSeconds: number | null;
  schedule: RefreshSchedule | null;
  nextRefreshAt: Date | null;
  /** Set while the newest refresh has failed: what is shown is older than it should be. */
  staleSince: Date | null;
  staleReason: string | null;
  hookFingerprint: string | null;
  /** How the file was written that it was loaded from. */
  fileDialect: FileDialect | null;
  /** Who hears of failures. */
  ownerEmail: string | null;
  deletedAt: Date | null;
  deletedBy: string | null;
}

export type DatasetKind = 'snapshot' | 'live';
export type RefreshCause = 'hand' | 'schedule' | 'upload' | 'webhook';

/** When a snapshot is loaded anew: an RFC 5545 rule, from when on, and in which time zone. */
export interface RefreshSchedule {
  readonly rule: string;
  readonly start: string;
  readonly timeZone: string;
}

/** What a definition says; the rest comes by itself. */
export type DatasetSpecRow = Pick<DatasetRow, 'name' | 'title' | 'sourceName' | 'sql' | 'columns' | 'rowOrder'> &
  Partial<Pick<DatasetRow, 'description' | 'kind' | 'keepSeconds' | 'ownerEmail'>>;

export interface RevisionRow {
  id: number;
  datasetName: string;
  number: number;
  columns: DatasetColumn[];
  tableName: string;
  rowCount: string | number;
  state: 'loading' | 'ready' | 'failed' | 'refused' | 'stopped' | 'dropped';
  error: string | null;
  startedAt: Date;
  finishedAt: Date | null;
  cause: RefreshCause;
  startedBy: string;
  /** What the swap would have broken. */
  impact: { user: string; what: string }[];
  stopAsked: boolean;
  /** When it last came to be shown. */
  shownAt: Date | null;
}

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

const tables = (app: App) => ({
  datasets: defineRecord<DatasetRow>(app.records, 'datasets', {
    name: 'key',
    title: 'text',
    sourceName: 'text',
    sql: 'text',
    columns: 'json',
    rowOrder: 'json',
    revisionId: 'integer',
    description: 'text',
    kind: 'text',
    keepSeconds: 'integer',
    schedule: 'json',
    nextRefreshAt: 'instant',
    staleSince: 'instant',
    staleReason: 'text',
    hookFingerprint: 'text',
    fileDialect: 'json',
    ownerEmail: 'text',
    deletedAt: 'instant',
    deletedBy: 'text',
  }),
  revisions: defineRecord<RevisionRow>(app.records, 'revisions', {
    id: 'serial',
    datasetName: 'text',
    number: 'integer',
    columns: 'json',
    tableName: 'text',
    rowCount: 'integer',
    state: 'text',
    error: 'text',
    startedAt: 'instant',
    finishedAt: 'instant',
    cause: 'text',
    startedBy: 'text',
    impact: 'json',
    stopAsked: 'boolean',
    shownAt: 'instant',
  }),
});

export async function listDatasets(app: App): Promise<DatasetRow[]> {
  return (await tables(app).datasets.findAll({ where: { deletedAt: null }, order: ['name'] })).map(plain);
}

export async function findDatasetRow(app: App, name: string): Promise<DatasetRow | undefined> {
  return recall(`dataset ${name}`, async () => {
    const row = await tables(app).datasets.findByPk(name);
    return row && row.get('deletedAt') === null ? plain(row) : undefined;
  });
}

export async function isDatasetBinned(app: App, name: string): Promise<boolean> {
  const row = await tables(app).datasets.findByPk(name);
  return row !== null && row.get('deletedAt') !== null;
}

export async function changeDataset(app: App, name: string, change: Partial<DatasetRow>): Promise<void> {
  await tables(app).datasets.update(change, { where: { name } });
}

/** Datasets whose time to be loaded has come. */
export async function dueDatasets(app: App): Promise<DatasetRow[]> {
  const rows = await tables(app).datasets.findAll({
    where: { deletedAt: null, nextRefreshAt: { [Op.lte]: new Date(app.now()) } },
    order: ['nextRefreshAt'],
  });
  return rows.map(plain);
}

export async function findRevisionRow(app: App, id: number): Promise<RevisionRow | undefined> {
  return recall(`revision ${id}`, async () => {
    const row = await tables(app).revisions.findByPk(id);
    return row ? plain(row) : undefined;
  });
}

export async function changeRevision(app: App, id: number, change: Partial<RevisionRow>): Promise<void> {
  await tables(app).revisions.update(change, { where: { id } });
}

/** The shape of a dataset. @throws {Refusal} `NOT_FOUND` */
export async function findDataset(app: App, name: string): Promise<DatasetShape> {
  const row = await findDatasetRow(app, name);
  // Which others there are, only those hear who may see them.
  if (!row) throw noSuch('dataset', name, []);
  return { name, columns: row.columns };
}

export async function putDataset(app: App, row: DatasetSpecRow): Promise<void> {
  const { datasets } = tables(app);
  const known = await datasets.findByPk(row.name);
  if (known) await known.update(row);
  else await datasets.create({ description: '', kind: 'snapshot', ...row, revisionId: null });
}

export async function setColumns(app: App, name: string, columns: DatasetColumn[]): Promise<void> {
  await tables(app).datasets.update({ columns }, { where: { name } });
}

/** Opens the next revision, not yet shown to anybody. */
export async function startRevision(
  app: App,
  dataset: string,
  columns: DatasetColumn[],
  by: { cause: RefreshCause; who: string },
): Promise<RevisionRow> {
  return app.records.transaction(async () => {
    const { datasets, revisions } = tables(app);
    await datasets.findByPk(dataset, { lock: Transaction.LOCK.UPDATE });
    const last = await revisions.max<number, Model<RevisionRow, Partial<RevisionRow>>>('number', {
      where: { datasetName: dataset },
    });
    const number = (last ?? 0) + 1;
    const made = await revisions.create({
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
  const { datasets, revisions } = tables(app);
  const finishedAt = new Date(app.now());
  if ('error' in outcome) {
    await revisions.update(
      { state: outcome.state ?? 'failed', error: outcome.error, impact: outcome.impact ?? [], finishedAt },
      { where: { id: revision.id } },
    );
    return;
  }
  await revisions.update(
    { state: 'ready', rowCount: outcome.rows, finishedAt, shownAt: finishedAt },
    { where: { id: revision.id } },
  );
  await datasets.update(
    { revisionId: revision.id, staleSince: null, staleReason: null },
    { where: { name: revision.datasetName } },
  );
  await announce(app, { kind: 'dataset', name: revision.datasetName });
  const news = { name: revision.datasetName, at: finishedAt.getTime() };
  await emit(app, 'dataset.refreshed', news);
}

/** A revision of a dataset by its number, whose rows are still there. */
export async function findKeptRevision(app: App, dataset: string, number: number): Promise<RevisionRow | undefined> {
  const row = await tables(app).revisions.findOne({ where: { datasetName: dataset, number, state: 'ready' } });
  return row ? plain(row) : undefined;
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
  const { datasets, revisions } = tables(app);
  const kept = await revisions.findOne({ where: { id, state: 'ready' }, lock: Transaction.LOCK.UPDATE });
  if (!kept) return false;
  await kept.update({ shownAt: new Date(app.now()) });
  await datasets.update({ revisionId: id, columns }, { where: { name: datasetName } });
  await announce(app, { kind: 'dataset', name: datasetName });
  return true;
}

/** A load whose process died is over; the lock that it held is free. */
export async function failLostLoads(app: App, dataset: string): Promise<void> {
  await tables(app).revisions.update(
    { state: 'failed', error: 'the process that loaded it ended', finishedAt: new Date(app.now()) },
    { where: { datasetName: dataset, state: 'loading' } },
  );
}

/** Asks a load that is under way to stop. @returns whether there is one */
export async function askLoadToStop(app: App, dataset: string): Promise<boolean> {
  const [count] = await tables(app).revisions.update(
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
  const ready = await tables(app).revisions.findAll({
    where: { datasetName: dataset, state: 'ready' },
    order: [
      ['shownAt', 'DESC NULLS LAST'],
      ['number', 'DESC'],
    ],
    offset: app.settings.keep.revisions,
  });
  const shown = (await findDatasetRow(app, dataset))?.revisionId;
  // Which runs there are is the sending's affair; that they are bound to revisions by number is all that is known here.
  const bound = await app.records.query<{ id: string }>(
    `SELECT DISTINCT one.value AS id FROM runs, jsonb_each_text(runs.revisions) AS one
     WHERE runs.state IN ('held', 'waiting', 'running', 'paused')`,
    { type: QueryTypes.SELECT },
  );
  const held = new Set([...bound.map((row) => Number(row.id)), shown]);
  return ready.map(plain).filter((row) => !held.has(row.id));
}

async function datasetsIn(app: App, state: RevisionRow['state']): Promise<string[]> {
  const rows = await app.records.query<{ name: string }>(
    'SELECT DISTINCT dataset_name AS name FROM revisions WHERE state = $state',
    { bind: { state }, type: QueryTypes.SELECT },
  );
  return rows.map((row) => row.name);
}

/** Datasets with some revision that is ready. */
export const loadedDatasets = (app: App): Promise<string[]> => datasetsIn(app, 'ready');
/** Datasets that are being loaded, or were when the loader died. */
export const loadingDatasets = (app: App): Promise<string[]> => datasetsIn(app, 'loading');

/** Tables of rows that no revision owns any more, or that a load left which ended otherwise. */
export async function strayTables(app: App): Promise<string[]> {
  const rows = await app.records.query<{ name: string }>(
    `SELECT tablename AS name FROM pg_tables WHERE schemaname = 'data' AND NOT EXISTS (
       SELECT FROM revisions WHERE table_name = tablename AND state IN ('ready', 'loading'))`,
    { type: QueryTypes.SELECT },
  );
  return rows.map((row) => row.name);
}

/** Says that a revision's rows go. @returns whether they may: not while the revision is shown */
export async function markDropped(app: App, id: number): Promise<boolean> {
  return app.records.transaction(async () => {
    // Whoever goes back to it holds it: what was shown meanwhile is seen by the statement after this one only.
    await app.records.query('SELECT id FROM revisions WHERE id = $id FOR UPDATE', { bind: { id } });
    const [, changed] = await app.records.query(
      `UPDATE revisions SET state = 'dropped' WHERE id = $id AND state = 'ready'
         AND NOT EXISTS (SELECT FROM datasets WHERE revision_id = $id)`,
      { bind: { id } },
    );
    return ((changed as { rowCount?: number }).rowCount ?? 0) > 0;
  });
}

export async function listRevisions(app: App, dataset: string): Promise<RevisionRow[]> {
  return (
    await tables(app).revisions.findAll({ where: { datasetName: dataset }, order: [['number', 'DESC']], limit: 50 })
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
    rowCount: Number(row.rowCount),
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
  if (!row || revision?.state !== 'ready') throw noSuch('data in dataset', dataset, []);
  return toRevision(revision, row);
}
