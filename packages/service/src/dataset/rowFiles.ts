import type { Readable } from 'node:stream';
import type pg from 'pg';
import { maskedColumnSql } from '@underbell/core/access';
import { formulaStartSql, InstantFields } from '@underbell/core/csv';
import type { DatasetColumn } from '@underbell/core/dataset';
import { quoteName, SettingBinder } from '@underbell/core/filter';
import { perInstance, type App } from '../platform/index.ts';
import { checkStatement, copyOut, readRowFrames, type RowReading } from '../source/index.ts';
import {
  connect,
  exactRowsOf,
  refuseSmallGroups,
  rowsOf,
  rowsRefusal,
  select,
  tableOf,
  type RowRequest,
} from './request.ts';

/** `raw` is CSV for our own eyes: no cell is guarded against spreadsheets. */
export type RowFormat = 'csv' | 'raw' | 'jsonl';

/**
 * Which fields of a line hold instants. The database writes them in its own form, in the zone of the session; `CsvLines`
 * and `InstantFields` give them the one of RFC 3339. In JSON they have it already.
 */
export const instantFields = ({ prefix, cells }: LineColumns): number[] =>
  cells.flatMap((column, i) => (column.type === 'instant' ? [prefix.length + i] : []));

/** How one column leaves in a file. */
function fileCell(column: DatasetColumn, sql: string, format: RowFormat, guarded: ReadonlySet<string>): string {
  if (format === 'csv' && guarded.has(column.name))
    return `CASE WHEN ${sql} ~ ${formulaStartSql} THEN '''' || ${sql} ELSE ${sql} END`;
  if (column.type === 'boolean' && format !== 'jsonl') return `(${sql})::text`;
  return sql;
}

/** What a file's rows are taken from, and how a cell stands in it. */
function fileRows(
  request: RowRequest,
  hasPrefix: boolean,
  binder: SettingBinder,
): { readonly from: string; readonly cell: (column: DatasetColumn) => string } {
  const { filter } = request;
  if (!hasPrefix) {
    const { from, where } = rowsOf(request, binder);
    return { from: `FROM ${from} WHERE ${where}`, cell: (column) => quoteName(column.name) };
  }
  // Whoever cuts the stream reads exact values before the cells.
  const { from, where } = exactRowsOf(request, binder);
  return {
    from: `FROM ${from} WHERE ${where}`,
    cell: (column) => maskedColumnSql(column, filter.masking, binder),
  };
}

const formulaColumnsOf = perInstance(() => new Map<number, Promise<Set<string>>>());

/**
 * The text columns of a revision in which some cell starts like a formula. Those cells get an apostrophe in CSV files;
 * files of all other columns pay nothing for it. A revision does not change, so it is asked about once per process.
 */
function formulaColumns(app: App, request: RowRequest): Promise<Set<string>> {
  const { revision } = request;
  const known = formulaColumnsOf(app);
  const found = known.get(revision.id);
  if (found) return found;
  const texts = revision.shape.columns.filter((column) => column.type === 'text');
  // What a live source holds may change at any time.
  if (revision.isLive) return Promise.resolve(new Set(texts.map((column) => column.name)));
  const tests = texts.map((column) => `bool_or(${quoteName(column.name)} ~ ${formulaStartSql})`);
  const asked =
    texts.length === 0
      ? Promise.resolve(new Set<string>())
      : select(app, request, `SELECT ${tests.join(', ')} FROM ${tableOf(revision)}`, []).then(
          ([row]) => new Set(texts.filter((_, i) => row![i] === true).map((column) => column.name)),
        );
  known.set(revision.id, asked);
  asked.catch(() => known.delete(revision.id));
  return asked;
}

/** Bytes that no text may hold, so that JSON passes through COPY unchanged. */
const rawCsv = `FORMAT csv, QUOTE E'\\x01', DELIMITER E'\\x02'`;

/** The columns that each line holds; `prefix` columns come first, raw, for whoever cuts the rows. */
interface LineColumns {
  readonly prefix: readonly DatasetColumn[];
  readonly cells: readonly DatasetColumn[];
}

function copySql(
  request: RowRequest,
  columns: LineColumns,
  format: RowFormat,
  binder: SettingBinder,
  guarded: ReadonlySet<string>,
): string {
  const { from, cell } = fileRows(request, columns.prefix.length > 0, binder);
  if (format === 'jsonl') {
    const cells = columns.cells
      .map((one) => `${fileCell(one, cell(one), format, guarded)} AS ${quoteName(one.name)}`)
      .join(', ');
    return `COPY (SELECT row_to_json(line) FROM (SELECT ${cells} ${from}) line) TO STDOUT (${rawCsv})`;
  }
  const cells = [
    ...columns.prefix.map((one) => quoteName(one.name)),
    ...columns.cells.map((one) => fileCell(one, cell(one), format, guarded)),
  ];
  return `COPY (SELECT ${cells.join(', ')} ${from}) TO STDOUT (FORMAT csv)`;
}

/**
 * Streams rows in the order in which the snapshot is laid out.
 *
 * @param consume - reads the stream to its end; the connection is given back afterwards
 */
export function copyRows<T>(
  app: App,
  request: RowRequest,
  columns: LineColumns,
  format: RowFormat,
  consume: (rows: Readable) => Promise<T>,
): Promise<T> {
  return withCopy(app, request, columns, format, (client, sql) => consume(copyOut(client, sql)));
}

/** Hands over the bytes of each row, in the order in which the snapshot is laid out. */
export function readRowBytes(
  app: App,
  request: RowRequest,
  columns: LineColumns,
  format: RowFormat,
  reading: RowReading,
): Promise<void> {
  const fields = format === 'csv' ? instantFields(columns) : [];
  const rows = fields.length === 0 ? reading : withInstants(reading, new InstantFields(fields));
  return withCopy(app, request, columns, format, (client, sql) => readRowFrames(client, sql, rows));
}

/** Rows come into the first half of the room, and are written into the other. */
function withInstants({ room, take, onPiece }: RowReading, instants: InstantFields): RowReading {
  const half = room.length >> 1;
  let written = room.subarray(half);
  return {
    room: room.subarray(0, half),
    take: (data, start, end) => {
      const needed = instants.room(end - start);
      if (needed > written.length) written = Buffer.allocUnsafe(needed * 2);
      take(written, 0, instants.write(data, start, end, written, 0));
    },
    onPiece,
  };
}

async function withCopy<T>(
  app: App,
  request: RowRequest,
  columns: LineColumns,
  format: RowFormat,
  read: (client: pg.PoolClient, sql: string) => Promise<T>,
): Promise<T> {
  refuseSmallGroups(request, 'rows');
  const binder = new SettingBinder();
  const guarded = format === 'csv' ? await formulaColumns(app, request) : new Set<string>();
  const sql = copySql(request, columns, format, binder, guarded);
  const client = await connect(app, request);
  let failure: Error | undefined;
  try {
    const { live } = request.revision;
    // COPY knows no extended protocol: the SQL of a live dataset is looked at before it is set in.
    if (live) await checkStatement(client, live.sql, live.source);
    await client.query('BEGIN READ ONLY');
    // Rows come as they lie: neither from several processes at once nor from wherever another scan stands, nor one
    // value of an index after the other.
    await client.query(
      'SET LOCAL max_parallel_workers_per_gather = 0; SET LOCAL synchronize_seqscans = off; ' +
        'SET LOCAL enable_indexscan = off; SET LOCAL enable_indexonlyscan = off',
    );
    await client.query(`SELECT set_config('datestyle', 'ISO', true), set_config('timezone', $1, true)`, [
      app.settings.timeZone,
    ]);
    for (const { name, value } of binder.settings) await client.query('SELECT set_config($1, $2, true)', [name, value]);
    const result = await read(client, sql);
    // Nothing was changed; a setting of the session that the SQL of a live dataset made goes with it.
    await client.query('ROLLBACK');
    return result;
  } catch (error) {
    failure = error as Error;
    throw rowsRefusal(error, request.revision.live?.source);
  } finally {
    // A connection whose stream broke off half-way is not used again.
    client.release(failure);
  }
}
