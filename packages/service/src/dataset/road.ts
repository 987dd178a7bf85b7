import type { Readable } from 'node:stream';
import type pg from 'pg';
import type { EffectiveFilter } from '@underbell/core/access';
import type { DatasetColumn, Value } from '@underbell/core/dataset';
import {
  allOf,
  compileSql,
  quoteName,
  SettingBinder,
  StatementBinder,
  type Cell,
  type TypedNode,
} from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import { compileFigureSql, resultColumns, type FigureQuery, type FigureResult } from '@underbell/core/report';
import type { App, Lane } from '../platform/index.ts';
import { copyOut } from '../source/postgres.ts';
import type { Revision } from './store.ts';
import { dataTable } from './table.sql.ts';

/** Rows of one revision, as one viewing may see them. The only way to rows: there is no reading without a filter. */
export interface RowRequest {
  readonly lane: Lane;
  readonly revision: Revision;
  readonly filter: EffectiveFilter;
}

/** Guards against a filter that was made for another dataset. */
function whereOf({ revision, filter }: RowRequest): TypedNode {
  if (filter.dataset.name !== revision.shape.name)
    throw new TypeError(`a filter of ${filter.dataset.name} cannot read ${revision.shape.name}`);
  return filter.where;
}

async function select(app: App, lane: Lane, text: string, values: readonly unknown[]): Promise<Cell[][]> {
  try {
    const { rows } = await app.lanes[lane].query<Cell[]>({ text, values: [...values], rowMode: 'array' });
    return rows;
  } catch (cause) {
    const { code } = cause as { code?: string };
    // 57014: the statement took longer than its lane allows; 22003: a number left the range of doubles.
    if (code === '57014')
      throw new Refusal(
        'INPUT_INVALID',
        'the query took too long and was stopped',
        { hint: 'narrow the filter' },
        { cause },
      );
    if (code === '22003')
      throw new Refusal('VALUE_INVALID', 'a number of the filter or the data is out of range', {}, { cause });
    throw cause;
  }
}

/** One figure's answer. */
export async function readFigure(app: App, request: RowRequest, query: FigureQuery): Promise<FigureResult> {
  const binder = new StatementBinder();
  const text = compileFigureSql(query, { table: dataTable(request.revision.table), where: whereOf(request), binder });
  return { columns: resultColumns(query), rows: await select(app, request.lane, text, binder.values) };
}

/** One figure's answer for every value of a column, from a single query. Keys are the values as filters hold them. */
export async function readFigurePerValue(
  app: App,
  request: RowRequest,
  query: FigureQuery,
  by: TypedNode & { kind: 'column' },
): Promise<Map<Value, FigureResult>> {
  const binder = new StatementBinder();
  const text = compileFigureSql(query, {
    table: dataTable(request.revision.table),
    where: whereOf(request),
    binder,
    partitionBy: by,
  });
  const columns = resultColumns(query);
  const results = new Map<Value, { columns: typeof columns; rows: Cell[][] }>();
  for (const [value, ...cells] of await select(app, request.lane, text, binder.values)) {
    if (value === null || value === undefined) continue;
    const key = keyValue(value, by.column);
    const known = results.get(key);
    if (known) known.rows.push(cells);
    else results.set(key, { columns, rows: [cells] });
  }
  return results;
}

/** The driver gives whole numbers as text and dates as objects; filters hold numbers and ISO texts. */
function keyValue(value: unknown, column: DatasetColumn): Value {
  if (column.type === 'integer' || column.type === 'number') return Number(value);
  if (value instanceof Date) return column.type === 'date' ? localDate(value) : value.getTime();
  return value as Value;
}

function localDate(date: Date): string {
  const two = (part: number) => String(part).padStart(2, '0');
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}`;
}

/** How many rows each value of a column has. */
export async function countRowsPerValue(app: App, request: RowRequest, by: DatasetColumn): Promise<Map<Value, number>> {
  const binder = new StatementBinder();
  const where = compileSql(whereOf(request), binder);
  const text = `SELECT ${quoteName(by.name)}, count(*)::float8 FROM ${dataTable(request.revision.table)} WHERE ${where} GROUP BY 1`;
  const rows = await select(app, request.lane, text, binder.values);
  return new Map(rows.flatMap(([value, count]) => (value === null ? [] : [[keyValue(value, by), count as number]])));
}

/** How many rows are left after each limit, in their order, from one pass. The first number is the whole dataset. */
export async function countRowsPerLimit(app: App, request: RowRequest): Promise<number[]> {
  const binder = new StatementBinder();
  const { parts } = request.filter;
  const steps = parts.map((_, i) => {
    const where = compileSql(allOf(parts.slice(0, i + 1).map((part) => part.node)), binder);
    return `(count(*) FILTER (WHERE ${where}))::float8`;
  });
  const text = `SELECT ${['count(*)::float8', ...steps].join(', ')} FROM ${dataTable(request.revision.table)}`;
  const rows = await select(app, request.lane, text, binder.values);
  return rows[0] as number[];
}

export type RowFormat = 'csv' | 'jsonl';

/**
 * How one column leaves in a file. Instants in CSV are as PostgreSQL writes them fastest: local time with its offset
 * (RFC 3339 with a space); in JSON they are UTC.
 */
function fileCell(column: DatasetColumn, format: RowFormat): string {
  const name = quoteName(column.name);
  if (column.type === 'boolean' && format === 'csv') return `${name}::text`;
  if (column.type === 'instant' && format === 'jsonl')
    return `to_char(${name} AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
  return name;
}

/** Bytes that no text may hold, so that JSON passes through COPY unchanged. */
const rawCsv = `FORMAT csv, QUOTE E'\\x01', DELIMITER E'\\x02'`;

function copySql(
  request: RowRequest,
  columns: { prefix: readonly DatasetColumn[]; cells: readonly DatasetColumn[] },
  format: RowFormat,
  binder: SettingBinder,
): string {
  const from = `FROM ${dataTable(request.revision.table)} WHERE ${compileSql(whereOf(request), binder)}`;
  if (format === 'jsonl') {
    const cells = columns.cells.map((one) => `${fileCell(one, format)} AS ${quoteName(one.name)}`).join(', ');
    return `COPY (SELECT row_to_json(line) FROM (SELECT ${cells} ${from}) line) TO STDOUT (${rawCsv})`;
  }
  const cells = [
    ...columns.prefix.map((one) => quoteName(one.name)),
    ...columns.cells.map((one) => fileCell(one, format)),
  ];
  return `COPY (SELECT ${cells.join(', ')} ${from}) TO STDOUT (FORMAT csv)`;
}

/**
 * Streams rows in the order in which the snapshot is laid out.
 *
 * @param columns - what each line holds; `prefix` columns come first, raw, for whoever cuts the stream
 * @param consume - reads the stream to its end; the connection is given back afterwards
 */
export async function copyRows<T>(
  app: App,
  request: RowRequest,
  columns: { readonly prefix: readonly DatasetColumn[]; readonly cells: readonly DatasetColumn[] },
  format: RowFormat,
  consume: (rows: Readable) => Promise<T>,
): Promise<T> {
  const binder = new SettingBinder();
  const sql = copySql(request, columns, format, binder);
  const client: pg.PoolClient = await app.lanes[request.lane].connect();
  let failure: Error | undefined;
  try {
    await client.query('BEGIN READ ONLY');
    // Rows come as they lie: neither from several processes at once nor from wherever another scan stands.
    await client.query('SET LOCAL max_parallel_workers_per_gather = 0; SET LOCAL synchronize_seqscans = off');
    await client.query(`SELECT set_config('timezone', $1, true)`, [app.settings.timeZone]);
    for (const { name, value } of binder.settings) await client.query('SELECT set_config($1, $2, true)', [name, value]);
    const result = await consume(copyOut(client, sql));
    await client.query('COMMIT');
    return result;
  } catch (error) {
    failure = error as Error;
    throw error;
  } finally {
    // A connection whose stream broke off half-way is not used again.
    client.release(failure);
  }
}
