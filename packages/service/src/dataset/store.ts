import type { Model, Transaction } from 'sequelize';
import type { DatasetColumn, DatasetShape } from '@underbell/core/dataset';
import { noSuch } from '../access/rights.ts';
import { defineRecord, plain, type App } from '../platform/index.ts';

export interface DatasetRow {
  name: string;
  title: string;
  sourceName: string | null;
  sql: string | null;
  columns: DatasetColumn[];
  /** Columns by which a snapshot is laid out; rows of a copy come in this order. */
  rowOrder: string[];
  revisionId: number | null;
}

export interface RevisionRow {
  id: number;
  datasetName: string;
  number: number;
  columns: DatasetColumn[];
  tableName: string;
  rowCount: string | number;
  state: 'loading' | 'ready' | 'failed' | 'dropped';
  error: string | null;
  startedAt: Date;
  finishedAt: Date | null;
}

/** A revision that can be read: which table, which columns, how old. */
export interface Revision {
  readonly id: number;
  readonly number: number;
  readonly shape: DatasetShape;
  readonly table: string;
  readonly rowCount: number;
  readonly loadedAt: Date;
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
  }),
});

export async function listDatasets(app: App): Promise<DatasetRow[]> {
  return (await tables(app).datasets.findAll({ order: ['name'] })).map(plain);
}

export async function findDatasetRow(app: App, name: string): Promise<DatasetRow | undefined> {
  const row = await tables(app).datasets.findByPk(name);
  return row ? plain(row) : undefined;
}

/** The shape of a dataset. @throws {Refusal} `NOT_FOUND` */
export async function findDataset(app: App, name: string): Promise<DatasetShape> {
  const row = await findDatasetRow(app, name);
  if (!row)
    throw noSuch(
      'dataset',
      name,
      (await listDatasets(app)).map((one) => one.name),
    );
  return { name, columns: row.columns };
}

export async function putDataset(
  app: App,
  row: Omit<DatasetRow, 'revisionId'>,
  transaction: Transaction,
): Promise<void> {
  const { datasets } = tables(app);
  const known = await datasets.findByPk(row.name, { transaction });
  if (known) await known.update(row, { transaction });
  else await datasets.create({ ...row, revisionId: null }, { transaction });
}

export async function setColumns(
  app: App,
  name: string,
  columns: DatasetColumn[],
  transaction: Transaction,
): Promise<void> {
  await tables(app).datasets.update({ columns }, { where: { name }, transaction });
}

/** Opens the next revision, not yet shown to anybody. */
export async function startRevision(app: App, dataset: string, columns: DatasetColumn[]): Promise<RevisionRow> {
  return app.records.transaction(async (transaction) => {
    const { datasets, revisions } = tables(app);
    await datasets.findByPk(dataset, { lock: transaction.LOCK.UPDATE, transaction });
    const last = await revisions.max<number, Model<RevisionRow, Partial<RevisionRow>>>('number', {
      where: { datasetName: dataset },
      transaction,
    });
    const number = (last ?? 0) + 1;
    const made = await revisions.create(
      {
        datasetName: dataset,
        number,
        columns,
        tableName: `${dataset.replaceAll('-', '_')}_r${number}`,
        rowCount: 0,
        state: 'loading',
        error: null,
        startedAt: new Date(app.now()),
        finishedAt: null,
      },
      { transaction },
    );
    return plain(made);
  });
}

export async function finishRevision(
  app: App,
  revision: RevisionRow,
  outcome: { rows: number } | { error: string },
  transaction?: Transaction,
): Promise<void> {
  const { datasets, revisions } = tables(app);
  const finishedAt = new Date(app.now());
  if ('error' in outcome) {
    await revisions.update(
      { state: 'failed', error: outcome.error, finishedAt },
      { where: { id: revision.id }, transaction },
    );
    return;
  }
  await revisions.update(
    { state: 'ready', rowCount: outcome.rows, finishedAt },
    { where: { id: revision.id }, transaction },
  );
  await datasets.update({ revisionId: revision.id }, { where: { name: revision.datasetName }, transaction });
}

/** Revisions whose tables nobody can come to read any more: all but the newest two that are ready. */
export async function spentRevisions(app: App, dataset: string): Promise<RevisionRow[]> {
  const ready = await tables(app).revisions.findAll({
    where: { datasetName: dataset, state: 'ready' },
    order: [['number', 'DESC']],
    offset: 2,
  });
  return ready.map(plain);
}

export async function markDropped(app: App, id: number): Promise<void> {
  await tables(app).revisions.update({ state: 'dropped' }, { where: { id } });
}

export async function listRevisions(app: App, dataset: string): Promise<RevisionRow[]> {
  return (
    await tables(app).revisions.findAll({ where: { datasetName: dataset }, order: [['number', 'DESC']], limit: 50 })
  ).map(plain);
}

function toRevision(row: RevisionRow, shape: DatasetShape): Revision {
  return {
    id: row.id,
    number: row.number,
    shape,
    table: row.tableName,
    rowCount: Number(row.rowCount),
    loadedAt: row.finishedAt!,
  };
}

/** The revision that is shown now, or one that a run is bound to. @throws {Refusal} `NOT_FOUND` when there is no data yet */
export async function readableRevision(app: App, dataset: string, boundTo?: number): Promise<Revision> {
  const row = await findDatasetRow(app, dataset);
  const id = boundTo ?? row?.revisionId ?? undefined;
  const revision = id === undefined ? null : await tables(app).revisions.findByPk(id);
  if (!row || !revision || plain(revision).state !== 'ready') throw noSuch('data in dataset', dataset, []);
  // Labels and keys may be mended without loading anew, so they come from the dataset; the revision has the columns.
  const kept = new Set(plain(revision).columns.map((one) => one.name));
  return toRevision(plain(revision), { name: dataset, columns: row.columns.filter((one) => kept.has(one.name)) });
}
