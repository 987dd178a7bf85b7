import { createReadStream } from 'node:fs';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { setInterval } from 'node:timers/promises';
import type pg from 'pg';
import { csvLine } from '@underbell/core/csv';
import { canonicalCell, type DatasetColumn, type FileDialect } from '@underbell/core/dataset';
import { quoteName } from '@underbell/core/filter';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { meter } from '../usage/index.ts';
import { busyMs, type App } from '../platform/index.ts';
import {
  cancelQuery,
  checkStatement,
  copyFrom,
  copyOut,
  readingOnly,
  requireReader,
  sourceUrl,
  withSource,
} from '../source/index.ts';
import {
  changeRevision,
  failLostLoads,
  findRevisionRow,
  finishRevision,
  loadedDatasets,
  loadingDatasets,
  markDropped,
  setColumns,
  spentRevisions,
  startRevision,
} from './store.ts';
import { cellParser } from './fileDialect.ts';
import { columnTypeOf, createTableSql, dataTable, indexSql, pickIndexSql, sourceCopySql } from './table.sql.ts';
import type { DatasetRow, RefreshCause, RevisionRow } from './models.ts';
import { strayTables } from './tables.sql.ts';

/** Who had data loaded, and what is asked before it is shown. */
export interface LoadBy {
  readonly cause: RefreshCause;
  readonly who: string;
  /** Refuses columns that would break what uses the dataset. */
  readonly check?: (columns: readonly DatasetColumn[]) => Promise<void>;
  /** What else changes in the instant in which the new rows are shown. */
  readonly atSwap?: () => Promise<void>;
}

export interface Loaded {
  readonly revision: number;
  readonly rows: number;
}

/** Asks a source which columns a query has, without reading rows. */
export async function describeQuery(app: App, source: string, sql: string): Promise<DatasetColumn[]> {
  const url = await sourceUrl(app, source);
  if (url === undefined) throw new Refusal('NOT_FOUND', `There is no data source “${source}”.`, { word: source });
  const fields = await withSource(app.settings, source, url, async (client) => {
    await requireReader(client, source);
    await checkStatement(client, sql, source);
    const text = `SELECT * FROM (\n${sql}\n) AS q LIMIT 0`;
    return readingOnly(
      client,
      async () => (await client.query({ text, queryMode: 'extended' } as pg.QueryConfig)).fields,
    );
  });
  const twice = fields.find((field, i) => fields.findIndex((one) => one.name === field.name) < i);
  if (twice !== undefined)
    throw new Refusal('DATASET_INVALID', `Two columns of the query are named “${twice.name}”.`, {
      pointer: 'sql',
      word: twice.name,
      hint: 'Rename one of them with AS.',
    });
  return fields.map((field) => {
    const type = columnTypeOf(field.dataTypeID);
    return { name: field.name, type, sourceType: type };
  });
}

const noteEveryMs = 400;

/** Looks after a load: counts its rows, writes down how far it is, and ends it when somebody asks for that. */
interface Watch {
  /** Rows pass through it. */
  readonly counter: Transform;
  /** Ends the load; its reason says why. */
  readonly signal: AbortSignal;
}

type Fill = (into: pg.PoolClient, table: string, watch: Watch) => Promise<number>;

/** Fills under watch. The watch does not wait for rows: a source that computes for long before its first row can be stopped as well. */
async function watched(app: App, revision: RevisionRow, fill: (watch: Watch) => Promise<number>): Promise<number> {
  let rows = 0;
  const counter = new Transform({
    transform(chunk: Buffer, _, done) {
      for (let at = chunk.indexOf(10); at >= 0; at = chunk.indexOf(10, at + 1)) rows++;
      done(null, chunk);
    },
  });
  const ended = new AbortController();
  const stopping = new AbortController();
  const watch = async () => {
    for await (const _ of setInterval(noteEveryMs, undefined, { signal: ended.signal })) {
      await changeRevision(app, revision.id, { rowCount: rows });
      if ((await findRevisionRow(app, revision.id))?.stopAsked)
        throw new Refusal('REFRESH_CANCELLED', 'The refresh was cancelled. The old data stays.');
    }
  };
  const watching = watch().catch((error: unknown) => {
    if (!ended.signal.aborted) stopping.abort(error);
  });
  try {
    return await fill({ counter, signal: stopping.signal });
  } catch (error) {
    throw stopping.signal.aborted ? stopping.signal.reason : error;
  } finally {
    ended.abort();
    await watching;
  }
}

/** Fills the table of a revision; the caller's work streams into it and says how many rows COPY took. */
async function fillRevision(app: App, into: pg.PoolClient, revision: RevisionRow, fill: Fill): Promise<number> {
  await into.query('BEGIN');
  await into.query(createTableSql(revision.tableName, revision.columns));
  const rows = await watched(app, revision, (watch) => fill(into, dataTable(revision.tableName), watch));
  for (const sql of indexSql(revision.tableName, revision.columns)) await into.query(sql);
  await into.query('COMMIT');
  await into.query(`ANALYZE ${dataTable(revision.tableName)}`);
  for (const sql of await pickIndexSql(into, revision.tableName, revision.columns, rows)) await into.query(sql);
  return rows;
}

/**
 * Work on a connection that locks datasets: one loading of each at a time, over all processes. The locks end with the work; a
 * connection on which it failed is closed, and takes its locks along, as it does when the process dies.
 */
async function withDatasetLocks<T>(
  app: App,
  work: (lock: (dataset: string) => Promise<boolean>, client: pg.PoolClient) => Promise<T>,
): Promise<T> {
  const client = await app.lanes.planned.connect();
  const lock = async (dataset: string) => {
    const text = 'SELECT pg_try_advisory_lock(730002, hashtext($1)) AS held';
    return (await client.query<{ held: boolean }>(text, [dataset])).rows[0]!.held;
  };
  try {
    const result = await work(lock, client);
    await client.query('SELECT pg_advisory_unlock_all()');
    client.release();
    return result;
  } catch (error) {
    client.release(error as Error);
    throw error;
  }
}

/** Loads the next revision and shows it only when all of it is there; a failed one leaves the old one in place. */
async function loadRevision(
  app: App,
  dataset: { name: string; columns: DatasetColumn[] },
  by: LoadBy,
  fill: Fill,
): Promise<Loaded> {
  const loaded = await withDatasetLocks(app, async (lock, into) => {
    if (!(await lock(dataset.name)))
      throw new Refusal('REFRESH_ACTIVE', `Dataset “${dataset.name}” is being refreshed already.`, {
        hint: 'Wait for it, or cancel the refresh.',
      });
    await failLostLoads(app, dataset.name);
    return loadLocked(app, into, dataset, by, fill);
  });
  // The new revision is shown by now: a table that cannot be dropped today is dropped after the next load. It takes a
  // connection of the same kind, and so waits until that of the load is given back.
  await deleteUnusedVersions(app, dataset.name).catch((error: unknown) => {
    app.log.warn({ err: error, dataset: dataset.name }, 'a spent revision could not be dropped');
  });
  return loaded;
}

async function loadLocked(
  app: App,
  into: pg.PoolClient,
  dataset: { name: string; columns: DatasetColumn[] },
  by: LoadBy,
  fill: Fill,
): Promise<Loaded> {
  const start = performance.now();
  const busy = busyMs();
  const revision = await startRevision(app, dataset.name, dataset.columns, by);
  let rows: number;
  try {
    await by.check?.(dataset.columns);
    rows = await fillRevision(app, into, revision, fill);
    await app.records.transaction(async () => {
      await by.atSwap?.();
      await setColumns(app, dataset.name, dataset.columns);
      await finishRevision(app, revision, { rows });
    });
  } catch (error) {
    await finishRevision(app, revision, outcomeOf(error));
    throw error;
  }
  meter(app, {
    kind: 'refresh',
    lane: 'planned',
    dataset: dataset.name,
    person: by.who,
    rows,
    queryMs: performance.now() - start,
    cpuMs: busyMs() - busy,
  });
  return { revision: revision.number, rows };
}

function outcomeOf(error: unknown): { error: string; state?: RevisionRow['state']; impact?: RevisionRow['impact'] } {
  if (isRefusal(error, 'REFRESH_BREAKS')) {
    const impact = (error.details.problems ?? []).map((one) => ({ user: one.at, what: one.message }));
    return { error: error.message, state: 'refused', impact };
  }
  if (isRefusal(error, 'REFRESH_CANCELLED')) return { error: error.message, state: 'stopped' };
  return { error: isRefusal(error) ? error.message : 'the loading broke off' };
}

async function deleteUnusedVersions(app: App, dataset: string): Promise<void> {
  for (const spent of await spentRevisions(app, dataset)) {
    // Marked first: what somebody goes back to in this instant stays.
    if (!(await markDropped(app, spent.id))) continue;
    await app.lanes.planned.query(`DROP TABLE IF EXISTS ${dataTable(spent.tableName)}`);
  }
}

/**
 * Drops tables that nobody reads any more: of revisions that are spent, also those that a run was bound to until now, and
 * of loads that died.
 */
export async function sweepTables(app: App): Promise<void> {
  await failDeadLoads(app);
  for (const dataset of await loadedDatasets(app)) await deleteUnusedVersions(app, dataset);
  for (const table of await strayTables(app)) await app.lanes.planned.query(`DROP TABLE IF EXISTS ${dataTable(table)}`);
}

/** Loads whose process died hold their dataset's lock no more. */
async function failDeadLoads(app: App): Promise<void> {
  const datasets = await loadingDatasets(app);
  if (datasets.length === 0) return;
  for (const name of datasets)
    await withDatasetLocks(app, async (lock) => {
      if (await lock(name)) await failLostLoads(app, name);
    });
}

/** What is said of columns stays with them while they are there and of the same type; new ones come along. */
export function refreshedColumns(known: readonly DatasetColumn[], found: readonly DatasetColumn[]): DatasetColumn[] {
  return found.map((column) => {
    const before = known.find((one) => one.name === column.name);
    if (!before) return column;
    const isSame = before.sourceType === undefined || before.sourceType === column.type;
    return { ...before, ...(isSame ? {} : { type: column.type }), sourceType: column.type };
  });
}

/**
 * Loads a snapshot from its source, COPY to COPY.
 *
 * @throws {Refusal} `SOURCE_UNREACHABLE`, `SOURCE_REFUSED`, `REFRESH_ACTIVE`, `REFRESH_BREAKS`, `REFRESH_CANCELLED`; the old revision stays
 */
export async function loadFromSource(
  app: App,
  dataset: Pick<DatasetRow, 'name' | 'columns' | 'sourceName' | 'sql' | 'rowOrder'>,
  by: LoadBy,
): Promise<Loaded> {
  const source = dataset.sourceName!;
  const url = await sourceUrl(app, source);
  if (url === undefined || dataset.sql === null) throw new Refusal('NOT_FOUND', `There is no data source “${source}”.`);
  const columns = refreshedColumns(dataset.columns, await describeQuery(app, source, dataset.sql));
  const names = columns.map((one) => one.name);
  const keys = columns.filter((one) => one.key !== undefined).map((one) => one.name);
  const order = [...new Set([...keys, ...dataset.rowOrder])].filter((name) => names.includes(name));
  const sql = sourceCopySql(dataset.sql, columns, order);
  return loadRevision(app, { name: dataset.name, columns }, by, (into, table, watch) =>
    withSource(app.settings, source, url, async (from) => {
      const copy = into.query(copyFrom(`COPY ${table} FROM STDIN`));
      const { counter, signal } = watch;
      const cancel = () =>
        void cancelQuery(app.settings, source, url, from).catch((error: unknown) =>
          app.log.warn({ err: error, source }, 'a stopped query could not be cancelled at its source'),
        );
      signal.addEventListener('abort', cancel);
      try {
        await checkStatement(from, dataset.sql!, source);
        await readingOnly(from, () => pipeline(copyOut(from, sql), counter, copy, { signal }));
      } catch (error) {
        throw signal.aborted ? signal.reason : error;
      }
      return copy.rowCount ?? 0;
    }),
  );
}

/** Where the rows of a file lie, and how they are written. */
export interface FileRows {
  readonly path: string;
  readonly dialect: FileDialect;
  /** Whether the database reads every cell as it stands. */
  readonly isCanonical: boolean;
}

/** Rows of a file with their cells as the database reads them; those that do not fit their column become empty. */
function canonicalRows({ path, dialect }: FileRows, columns: readonly DatasetColumn[]): Readable {
  const rows = createReadStream(path).pipe(cellParser(dialect.separator ?? 'comma'));
  let isHeading = true;
  const clean = new Transform({
    writableObjectMode: true,
    transform(cells: string[], _, done) {
      const line = isHeading ? cells : cells.map((cell, i) => canonicalCell(cell, columns[i]!.type, dialect) ?? '');
      isHeading = false;
      // An empty cell is a missing value, in texts as well as elsewhere.
      done(null, csvLine(line.map((cell) => (cell === '' ? null : cell))));
    },
  });
  rows.once('error', (error) => clean.destroy(error));
  return rows.pipe(clean);
}

/**
 * Loads the rows of a file as the next revision.
 *
 * @throws {Refusal} `FILE_MALFORMED`, `REFRESH_BREAKS`, `REFRESH_CANCELLED`; the old revision stays
 */
export async function loadFromFile(
  app: App,
  dataset: { readonly name: string; readonly columns: DatasetColumn[] },
  file: FileRows,
  by: LoadBy,
): Promise<Loaded> {
  const { columns } = dataset;
  return loadRevision(app, dataset, by, async (into, table, watch) => {
    const names = columns.map((one) => quoteName(one.name)).join(', ');
    // A quoted empty cell is as missing as one without quotes, in texts as well.
    const format = `FORMAT csv, HEADER, FORCE_NULL (${names})`;
    const rows = file.isCanonical ? createReadStream(file.path) : canonicalRows(file, columns);
    try {
      const copy = into.query(copyFrom(`COPY ${table} (${names}) FROM STDIN (${format})`));
      await pipeline(rows, watch.counter, copy, { signal: watch.signal });
      return copy.rowCount ?? 0;
    } catch (cause) {
      if (isRefusal(cause) || watch.signal.aborted) throw cause;
      const { where, message } = cause as { where?: string; message: string };
      const place = where?.split('\n')[0];
      throw new Refusal('FILE_MALFORMED', `The file cannot be imported: ${message}.`, place ? { pointer: place } : {}, {
        cause,
      });
    }
  });
}
