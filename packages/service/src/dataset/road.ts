import type { Readable } from 'node:stream';
import type pg from 'pg';
import { isMasked, maskedColumnSql, rowsSql, type EffectiveFilter } from '@underbell/core/access';
import { readNumber, type DatasetColumn, type Value } from '@underbell/core/dataset';
import {
  allOf,
  compileSql,
  quoteName,
  SettingBinder,
  StatementBinder,
  type Cell,
  type SqlBinder,
  type TypedNode,
} from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import {
  columnHidden,
  compileFigureSql,
  resultColumns,
  type FigureQuery,
  type FigureResult,
} from '@underbell/core/report';
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

/** The rows as their viewer may see them: masked, and filtered. */
function rowsOf(request: RowRequest, binder: SqlBinder): { from: string; where: string } {
  whereOf(request);
  return rowsSql(request.filter, { table: dataTable(request.revision.table), binder });
}

const tooSmall = (rows: number) =>
  new Refusal('GROUPS_TOO_SMALL', `fewer than ${rows} rows stand behind this, so it is not shown to you`);

/**
 * Refuses what would tell of single rows where small groups are masked: rows themselves, and a filter of the reader's
 * that leaves out so few rows that the difference to the whole tells them.
 */
async function refuseSmallGroups(app: App, request: RowRequest, isGrouped: boolean): Promise<void> {
  const { minRows } = request.filter.masking;
  if (minRows <= 1) return;
  if (!isGrouped) throw tooSmall(minRows);
  if (request.filter.parts.every((part) => part.isFixed)) return;
  const binder = new StatementBinder();
  const { from, where } = rowsOf(request, binder);
  const text = `SELECT (count(*) FILTER (WHERE (${where}) IS NOT TRUE))::float8 FROM ${from}`;
  const [[left]] = (await select(app, request.lane, text, binder.values)) as [[number]];
  if (left > 0 && left < minRows) throw tooSmall(minRows);
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
  await refuseSmallGroups(app, request, query.isGrouped);
  const binder = new StatementBinder();
  const { minRows } = request.filter.masking;
  const text = compileFigureSql(query, { rows: rowsOf(request, binder), binder, minRows });
  return { columns: resultColumns(query), rows: await select(app, request.lane, text, binder.values) };
}

/** One figure's answer for every value of a column, from a single query. Keys are the values as filters hold them. */
export async function readFigurePerValue(
  app: App,
  request: RowRequest,
  query: FigureQuery,
  by: TypedNode & { kind: 'column' },
): Promise<Map<Value, FigureResult>> {
  await refuseSmallGroups(app, request, query.isGrouped);
  const binder = new StatementBinder();
  const { minRows } = request.filter.masking;
  const text = compileFigureSql(query, { rows: rowsOf(request, binder), binder, partitionBy: by, minRows });
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
  if (column.type === 'integer' || column.type === 'number') return readNumber(String(value)) ?? Number(value);
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

/** How many rows two viewers both see, and how many only one of them. */
export async function countBetween(
  app: App,
  first: RowRequest,
  second: RowRequest,
): Promise<{ both: number; onlyFirst: number; onlySecond: number }> {
  const binder = new StatementBinder();
  const [a, b] = [first, second].map((request) => `(${compileSql(whereOf(request), binder)}) IS TRUE`);
  const count = (condition: string) => `(count(*) FILTER (WHERE ${condition}))::float8`;
  const text = `SELECT ${count(`${a} AND ${b}`)}, ${count(`${a} AND NOT (${b})`)}, ${count(`NOT (${a}) AND ${b}`)} FROM ${dataTable(first.revision.table)}`;
  const [row] = await select(app, first.lane, text, binder.values);
  const [both, onlyFirst, onlySecond] = row as [number, number, number];
  return { both, onlyFirst, onlySecond };
}

/**
 * Values of a column that its viewer is shown, the most frequent first.
 *
 * @param starts - how they begin, as text
 * @throws {Refusal} `COLUMN_HIDDEN`
 */
export async function distinctValues(
  app: App,
  request: RowRequest,
  column: DatasetColumn,
  starts: string,
): Promise<string[]> {
  const { filter } = request;
  if (!filter.visible.columns.some((one) => one.name === column.name))
    throw columnHidden(filter.dataset.name, column.name);
  const binder = new StatementBinder();
  const { from, where } = rowsOf(request, binder);
  const text = `(${quoteName(column.name)})::text`;
  const fits = `starts_with(lower(${text}), lower(${binder.bind(starts, 'text')}))`;
  const { rows } = await app.lanes[request.lane].query<{ value: string }>({
    text: `SELECT ${text} AS value FROM ${from} WHERE ${where} AND ${quoteName(column.name)} IS NOT NULL AND ${fits}
           GROUP BY 1 HAVING count(*) >= ${filter.masking.minRows} ORDER BY count(*) DESC, 1 LIMIT 20`,
    values: [...binder.values],
  });
  return rows.map((row) => row.value);
}

const sampleSize = 5;
const sampleColumns = 8;

/**
 * A few of the rows that a condition keeps or drops, out of those that the request's own viewer may see.
 *
 * @returns cells of the first visible columns, as texts
 */
export async function sampleRows(
  app: App,
  request: RowRequest,
  condition: TypedNode,
  isKept: boolean,
): Promise<Cell[][]> {
  if (request.filter.masking.minRows > 1) return [];
  const binder = new StatementBinder();
  const columns = request.filter.visible.columns.slice(0, sampleColumns);
  const cells = columns.map((one) => `(${maskedColumnSql(one, request.filter.masking, binder)})::text`);
  const own = compileSql(whereOf(request), binder);
  const test = `((${compileSql(condition, binder)}) IS ${isKept ? 'TRUE' : 'NOT TRUE'})`;
  const text = `SELECT ${cells.join(', ')} FROM ${dataTable(request.revision.table)} WHERE ${own} AND ${test} LIMIT ${sampleSize}`;
  return select(app, request.lane, text, binder.values);
}

export type RowFormat = 'csv' | 'jsonl';

/**
 * How one column leaves in a file. Instants in CSV are as PostgreSQL writes them fastest: local time with its offset
 * (RFC 3339 with a space); in JSON they are UTC.
 */
function fileCell(column: DatasetColumn, sql: string, format: RowFormat, guarded: ReadonlySet<string>): string {
  if (format === 'csv' && guarded.has(column.name))
    return `CASE WHEN left(${sql}, 1) = ANY (${formulaStarts}) THEN '''' || ${sql} ELSE ${sql} END`;
  if (column.type === 'boolean' && format === 'csv') return `(${sql})::text`;
  if (column.type === 'instant' && format === 'jsonl')
    return `to_char(${sql} AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
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
  // Whoever cuts the stream reads exact values before the cells; nobody's own filter is among the limits then.
  if (isMasked(filter.masking) && filter.parts.some((part) => !part.isFixed))
    throw new TypeError('masked rows cannot be cut by a filter of a reader');
  return {
    from: `FROM ${dataTable(request.revision.table)} WHERE ${compileSql(whereOf(request), binder)}`,
    cell: (column) => maskedColumnSql(column, filter.masking, binder),
  };
}

/** What a spreadsheet takes for the start of a formula. */
const formulaStarts = `ARRAY['=', '+', '-', '@', E'\\t', E'\\r']`;
const formulaColumnsOf = new WeakMap<App, Map<number, Promise<Set<string>>>>();

/**
 * The text columns of a revision in which some cell starts like a formula. Those cells get an apostrophe in CSV files;
 * files of all other columns pay nothing for it. A revision does not change, so it is asked about once per process.
 */
function formulaColumns(app: App, { lane, revision }: RowRequest): Promise<Set<string>> {
  const known = formulaColumnsOf.get(app) ?? new Map<number, Promise<Set<string>>>();
  formulaColumnsOf.set(app, known);
  const found = known.get(revision.id);
  if (found) return found;
  const texts = revision.shape.columns.filter((column) => column.type === 'text');
  const tests = texts.map((column) => `bool_or(left(${quoteName(column.name)}, 1) = ANY (${formulaStarts}))`);
  const asked =
    texts.length === 0
      ? Promise.resolve(new Set<string>())
      : select(app, lane, `SELECT ${tests.join(', ')} FROM ${dataTable(revision.table)}`, []).then(
          ([row]) => new Set(texts.filter((_, i) => row![i] === true).map((column) => column.name)),
        );
  known.set(revision.id, asked);
  asked.catch(() => known.delete(revision.id));
  return asked;
}

/** Bytes that no text may hold, so that JSON passes through COPY unchanged. */
const rawCsv = `FORMAT csv, QUOTE E'\\x01', DELIMITER E'\\x02'`;

function copySql(
  request: RowRequest,
  columns: { prefix: readonly DatasetColumn[]; cells: readonly DatasetColumn[] },
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
  await refuseSmallGroups(app, request, false);
  const binder = new SettingBinder();
  const guarded = format === 'csv' ? await formulaColumns(app, request) : new Set<string>();
  const sql = copySql(request, columns, format, binder, guarded);
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
