import { createReadStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { parse, CsvError } from 'csv-parse';
import type pg from 'pg';
import { TypeGuess, toFieldName, type DatasetColumn } from '@underbell/core/dataset';
import { quoteName } from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { copyFrom, copyOut, sourceUrl, withSource } from '../source/index.ts';
import {
  finishRevision,
  markDropped,
  setColumns,
  spentRevisions,
  startRevision,
  type DatasetRow,
  type RevisionRow,
} from './store.ts';
import { columnTypeOf, createTableSql, dataTable, indexSql, sourceCopySql } from './table.sql.ts';

/** Asks a source which columns a query has, without reading rows. */
export async function describeQuery(app: App, source: string, sql: string): Promise<DatasetColumn[]> {
  const url = await sourceUrl(app, source);
  if (url === undefined) throw new Refusal('NOT_FOUND', `there is no source \`${source}\``, { word: source });
  const fields = await withSource(
    app.settings,
    source,
    url,
    async (client) => (await client.query(`SELECT * FROM (\n${sql}\n) AS q LIMIT 0`)).fields,
  );
  return fields.map((field) => ({ name: field.name, type: columnTypeOf(field.dataTypeID) }));
}

/** Fills the table of a revision; the caller's work streams into it and says how many rows COPY took. */
async function fillRevision(
  app: App,
  revision: RevisionRow,
  fill: (into: pg.PoolClient, table: string) => Promise<number>,
): Promise<number> {
  const client = await app.lanes.planned.connect();
  let failure: Error | undefined;
  try {
    await client.query('BEGIN');
    await client.query(createTableSql(revision.tableName, revision.columns));
    const rows = await fill(client, dataTable(revision.tableName));
    for (const sql of indexSql(revision.tableName, revision.columns)) await client.query(sql);
    await client.query('COMMIT');
    await client.query(`ANALYZE ${dataTable(revision.tableName)}`);
    return rows;
  } catch (error) {
    failure = error as Error;
    throw error;
  } finally {
    client.release(failure);
  }
}

/** Loads the next revision and shows it only when all of it is there; a failed one leaves the old one in place. */
async function loadRevision(
  app: App,
  dataset: { name: string; columns: DatasetColumn[] },
  fill: (into: pg.PoolClient, table: string) => Promise<number>,
): Promise<{ revision: number; rows: number }> {
  const revision = await startRevision(app, dataset.name, dataset.columns);
  let rows: number;
  try {
    rows = await fillRevision(app, revision, fill);
    await app.records.transaction(async (transaction) => {
      await setColumns(app, dataset.name, dataset.columns, transaction);
      await finishRevision(app, revision, { rows }, transaction);
    });
  } catch (error) {
    await finishRevision(app, revision, { error: error instanceof Error ? error.message : String(error) });
    throw error;
  }
  // The new revision is shown by now: a table that cannot be dropped today is dropped after the next load.
  await dropSpent(app, dataset.name).catch((error: unknown) => {
    app.log.warn({ err: error, dataset: dataset.name }, 'a spent revision could not be dropped');
  });
  return { revision: revision.number, rows };
}

async function dropSpent(app: App, dataset: string): Promise<void> {
  for (const spent of await spentRevisions(app, dataset)) {
    await app.lanes.planned.query(`DROP TABLE IF EXISTS ${dataTable(spent.tableName)}`);
    await markDropped(app, spent.id);
  }
}

/**
 * Loads a snapshot from its source, COPY to COPY.
 *
 * @throws {Refusal} `SOURCE_UNREACHABLE`, `SOURCE_REFUSED`; the old revision stays
 */
export async function loadFromSource(app: App, dataset: DatasetRow): Promise<{ revision: number; rows: number }> {
  const source = dataset.sourceName!;
  const url = await sourceUrl(app, source);
  if (url === undefined || dataset.sql === null) throw new Refusal('NOT_FOUND', `there is no source \`${source}\``);
  const keys = dataset.columns.filter((one) => one.key !== undefined).map((one) => one.name);
  const order = [...new Set([...keys, ...dataset.rowOrder])];
  const sql = sourceCopySql(dataset.sql, dataset.columns, order);
  return loadRevision(app, dataset, (into, table) =>
    withSource(app.settings, source, url, async (from) => {
      const copy = into.query(copyFrom(`COPY ${table} FROM STDIN`));
      await pipeline(copyOut(from, sql), copy);
      return copy.rowCount ?? 0;
    }),
  );
}

const encodingMessage = 'the file is not UTF-8 text';

/** Passes bytes through and stops at the first that is not UTF-8. */
function strictUtf8(): Transform {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let offset = 0;
  const check = (chunk: Buffer | undefined) => {
    try {
      decoder.decode(chunk, { stream: chunk !== undefined });
    } catch (cause) {
      throw new Refusal(
        'FILE_NOT_UTF8',
        encodingMessage,
        { pointer: `near byte ${offset}`, hint: 'save it as UTF-8' },
        { cause },
      );
    }
    offset += chunk?.length ?? 0;
  };
  const guarded = (work: () => void, done: (error?: Error | null, data?: Buffer) => void, data?: Buffer) => {
    try {
      work();
      done(null, data);
    } catch (error) {
      done(error as Error);
    }
  };
  return new Transform({
    transform: (chunk: Buffer, _, done) => guarded(() => check(chunk), done, chunk),
    flush: (done) => guarded(() => check(undefined), done),
  });
}

/** What a CSV library complained about, as one of ours. */
function csvRefusal(cause: unknown): unknown {
  if (!(cause instanceof CsvError)) return cause;
  const line = typeof cause['lines'] === 'number' ? cause['lines'] : undefined;
  const pointer = line === undefined ? undefined : `line ${line}`;
  if (cause.code.startsWith('CSV_RECORD_INCONSISTENT')) {
    return new Refusal(
      'FILE_RAGGED',
      `${pointer}: the row has another number of cells than the headings`,
      { pointer, hint: 'cells with commas stand in double quotes' },
      { cause },
    );
  }
  return new Refusal('FILE_MALFORMED', `${pointer ?? 'the file'}: ${cause.message}`, { pointer }, { cause });
}

/** Reads a CSV (RFC 4180) row by row, UTF-8 checked, rows of equal length checked. */
export async function readCsv(bytes: Readable, onRow: (cells: string[], index: number) => void): Promise<number> {
  let rows = 0;
  // When the reader stops the pipeline, what comes out may be the streams' complaint about it instead of the reason.
  let refusal: unknown;
  try {
    await pipeline(
      bytes,
      strictUtf8(),
      parse({ bom: true, skip_empty_lines: true }),
      async (records: AsyncIterable<string[]>) => {
        for await (const cells of records) {
          try {
            onRow(cells, rows++);
          } catch (error) {
            refusal = error;
            throw error;
          }
        }
      },
    );
  } catch (error) {
    throw refusal ?? csvRefusal(error);
  }
  if (rows === 0) throw new Refusal('FILE_EMPTY', 'the file is empty', { hint: 'the first row holds the headings' });
  return rows - 1;
}

/** Headings as column names. @throws {Refusal} `FILE_COLUMN_INVALID` for an empty or repeated one */
export function columnNames(headings: readonly string[]): string[] {
  const names = headings.map((heading, i) => {
    if (heading.trim() === '')
      throw new Refusal('FILE_COLUMN_INVALID', `column ${i + 1} has no heading`, { pointer: `column ${i + 1}` });
    return toFieldName(heading);
  });
  names.forEach((name, i) => {
    if (names.indexOf(name) === i) return;
    throw new Refusal('FILE_COLUMN_INVALID', `two headings become the column \`${name}\``, {
      pointer: `column ${i + 1}`,
      word: headings[i],
    });
  });
  return names;
}

async function inferColumns(path: string): Promise<{ columns: DatasetColumn[]; rows: number }> {
  let names: string[] = [];
  let headings: string[] = [];
  let guesses: TypeGuess[] = [];
  const rows = await readCsv(createReadStream(path), (cells, index) => {
    if (index > 0) return cells.forEach((cell, i) => guesses[i]!.add(cell));
    headings = cells;
    names = columnNames(cells);
    guesses = cells.map(() => new TypeGuess());
  });
  if (rows === 0) throw new Refusal('FILE_EMPTY', 'the file has headings but no rows');
  const columns = names.map((name, i): DatasetColumn => ({
    name,
    type: guesses[i]!.type,
    ...(headings[i] === name ? {} : { label: headings[i]! }),
  }));
  return { columns, rows };
}

/** Keeps an upload in a folder of its own while work goes on, then removes it. */
export async function withUpload<T>(app: App, upload: Readable, work: (path: string) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(join(app.settings.spool, 'upload-'));
  try {
    const path = join(folder, 'file');
    await pipeline(upload, createWriteStream(path));
    return await work(path);
  } catch (cause) {
    if ((cause as { code?: string }).code === 'ENOSPC')
      throw new Refusal('DISK_FULL', 'there is no space left for the upload', {}, { cause });
    throw cause;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/**
 * Loads a CSV file as the next revision: one pass to learn the types, one to copy.
 *
 * @param adjust - settles keys, labels and types of the inferred columns, and makes sure that the dataset is there
 */
export async function loadFromCsv(
  app: App,
  name: string,
  path: string,
  adjust: (columns: DatasetColumn[]) => Promise<DatasetColumn[]>,
): Promise<{ revision: number; rows: number; columns: DatasetColumn[] }> {
  const inferred = await inferColumns(path);
  const columns = await adjust(inferred.columns);
  const loaded = await loadRevision(app, { name, columns }, async (into, table) => {
    const names = columns.map((one) => quoteName(one.name)).join(', ');
    try {
      const copy = into.query(copyFrom(`COPY ${table} (${names}) FROM STDIN (FORMAT csv, HEADER)`));
      await pipeline(createReadStream(path), copy);
      return copy.rowCount ?? 0;
    } catch (cause) {
      const { where, message } = cause as { where?: string; message: string };
      throw new Refusal(
        'FILE_MALFORMED',
        `the file cannot be loaded: ${message}`,
        { pointer: where?.split('\n')[0] },
        { cause },
      );
    }
  });
  return { ...loaded, columns };
}
