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
  assembleResult,
  columnHidden,
  compileCountSql,
  compileFigureSql,
  type DataFigure,
  type FigurePlan,
  type FigureQuery,
  type FigureResult,
} from '@underbell/core/report';
import { tell, type App, type Lane } from '../platform/index.ts';
import { connectLive } from '../source/pool.ts';
import { copyOut, sourceRefusal } from '../source/postgres.ts';
import { queryCache } from './cache.ts';
import type { Revision } from './store.ts';
import { dataTable, liveTable } from './table.sql.ts';

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
  return rowsSql(request.filter, { table: tableOf(request.revision), binder });
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
  const [[left]] = (await select(app, request, text, binder.values)) as [[number]];
  if (left > 0 && left < minRows) throw tooSmall(minRows);
}

/** Where a revision's rows are, as SQL. */
function tableOf({ table, live, shape }: Revision): string {
  return live ? liveTable(live.sql, shape.columns) : dataTable(table);
}

/** A connection to where the rows are: our own snapshot, or the source of a live dataset. */
function connect(app: App, { lane, revision }: Pick<RowRequest, 'lane' | 'revision'>): Promise<pg.PoolClient> {
  return revision.live ? connectLive(app, revision.live.source) : app.lanes[lane].connect();
}

async function select(
  app: App,
  request: Pick<RowRequest, 'lane' | 'revision'>,
  text: string,
  values: readonly unknown[],
): Promise<Cell[][]> {
  const { live } = request.revision;
  const client = await connect(app, request);
  const start = performance.now();
  try {
    const { rows } = await client.query<Cell[]>({ text, values: [...values], rowMode: 'array' });
    tell({ rows: rows.length, queryMs: performance.now() - start, isLive: live !== undefined });
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
    throw live ? sourceRefusal(cause, live.source) : cause;
  } finally {
    client.release();
  }
}

/** Asks through the cache of this process. */
function ask(app: App, request: RowRequest, text: string, values: readonly unknown[]) {
  const { id, keepMs } = request.revision;
  const question = { revision: id, text, values, ...(keepMs === undefined ? {} : { keepMs }) };
  return queryCache(app).ask(question, () => select(app, request, text, values));
}

/** The rows of one query of a figure; equal questions of anybody are answered once. */
async function answerQuery(
  app: App,
  request: RowRequest,
  query: FigureQuery,
  by?: TypedNode,
): Promise<readonly (readonly Cell[])[]> {
  const { filter } = request;
  const binder = new StatementBinder();
  const { minRows } = filter.masking;
  const text = compileFigureSql(query, {
    rows: rowsOf(request, binder),
    binder,
    minRows,
    ...(by ? { partitionBy: by } : {}),
  });
  return ask(app, request, text, binder.values);
}

/** Sums over small groups could tell what the groups do not: where those are masked, there are none. */
function shownPlan(plan: FigurePlan, filter: EffectiveFilter): FigurePlan {
  if (filter.masking.minRows <= 1) return plan;
  const { others: _others, ...rest } = plan;
  return { ...rest, sums: [] };
}

/** One figure's answer: all queries of its plan. */
export async function readFigure(
  app: App,
  request: RowRequest,
  figure: DataFigure,
  asked: FigurePlan,
): Promise<FigureResult> {
  await refuseSmallGroups(app, request, asked.main.isGrouped);
  const plan = shownPlan(asked, request.filter);
  const ask = (query: FigureQuery) => answerQuery(app, request, query);
  const [main, sums, others, trend, lines] = await Promise.all([
    ask(plan.main),
    Promise.all(plan.sums.map(ask)),
    plan.others && ask(plan.others),
    plan.trend && ask(plan.trend),
    plan.lines && ask(plan.lines),
  ]);
  return assembleResult(figure, plan, {
    main,
    sums,
    ...(others ? { others } : {}),
    ...(trend ? { trend } : {}),
    ...(lines ? { lines } : {}),
  });
}

/** One query's rows, such as a window of a long table. */
export async function readRows(
  app: App,
  request: RowRequest,
  query: FigureQuery,
): Promise<readonly (readonly Cell[])[]> {
  await refuseSmallGroups(app, request, query.isGrouped);
  return (await answerQuery(app, request, query)).slice(0, query.limit);
}

/** How many rows a query has in all. */
export async function countQueryRows(app: App, request: RowRequest, query: FigureQuery): Promise<number> {
  await refuseSmallGroups(app, request, query.isGrouped);
  const binder = new StatementBinder();
  const { minRows } = request.filter.masking;
  const text = compileCountSql(query, { rows: rowsOf(request, binder), binder, minRows });
  const [row] = await ask(app, request, text, binder.values);
  return row![0] as number;
}

/** One figure's answer for every value of a column, from one query each of its plan. Keys are the values as filters hold them. */
export async function readFigurePerValue(
  app: App,
  request: RowRequest,
  figure: DataFigure,
  asked: FigurePlan,
  by: TypedNode & { kind: 'column' },
): Promise<(value: Value) => FigureResult> {
  await refuseSmallGroups(app, request, asked.main.isGrouped);
  const plan = shownPlan(asked, request.filter);
  const ask = async (query: FigureQuery) => {
    const found = new Map<Value, (readonly Cell[])[]>();
    for (const [value, ...cells] of await answerQuery(app, request, query, by)) {
      if (value === null || value === undefined) continue;
      const key = keyValue(value, by.column);
      const known = found.get(key);
      if (known) known.push(cells);
      else found.set(key, [cells]);
    }
    return (value: Value) => found.get(value) ?? [];
  };
  const [main, sums, others, trend, lines] = await Promise.all([
    ask(plan.main),
    Promise.all(plan.sums.map(ask)),
    plan.others && ask(plan.others),
    plan.trend && ask(plan.trend),
    plan.lines && ask(plan.lines),
  ]);
  return (value) =>
    assembleResult(figure, plan, {
      main: main(value),
      sums: sums.map((one) => one(value)),
      ...(others ? { others: others(value) } : {}),
      ...(trend ? { trend: trend(value) } : {}),
      ...(lines ? { lines: lines(value) } : {}),
    });
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
  const text = `SELECT ${quoteName(by.name)}, count(*)::float8 FROM ${tableOf(request.revision)} WHERE ${where} GROUP BY 1`;
  const rows = await select(app, request, text, binder.values);
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
  const text = `SELECT ${['count(*)::float8', ...steps].join(', ')} FROM ${tableOf(request.revision)}`;
  const rows = await select(app, request, text, binder.values);
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
  const text = `SELECT ${count(`${a} AND ${b}`)}, ${count(`${a} AND NOT (${b})`)}, ${count(`NOT (${a}) AND ${b}`)} FROM ${tableOf(first.revision)}`;
  const [row] = await select(app, first, text, binder.values);
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
  const sql = `SELECT ${text} AS value FROM ${from} WHERE ${where} AND ${quoteName(column.name)} IS NOT NULL AND ${fits}
           GROUP BY 1 HAVING count(*) >= ${filter.masking.minRows} ORDER BY count(*) DESC, 1 LIMIT 20`;
  return (await ask(app, request, sql, binder.values)).map(([value]) => value as string);
}

/** What stands in a column of the rows that somebody may see. */
export interface ProfiledColumn {
  readonly name: string;
  readonly rows: number;
  readonly missing: number;
  readonly distinct: number;
  readonly smallest: string | null;
  readonly largest: string | null;
  readonly frequent: readonly { readonly value: string; readonly rows: number }[];
}

const frequentValues = 5;

/** Missing, distinct, smallest, largest and most frequent values of every visible column. @throws {Refusal} `GROUPS_TOO_SMALL` */
export async function profileOf(app: App, request: RowRequest): Promise<ProfiledColumn[]> {
  await refuseSmallGroups(app, request, false);
  const { columns } = request.filter.visible;
  return Promise.all(
    columns.map(async ({ name, type }) => {
      const binder = new StatementBinder();
      const { from, where } = rowsOf(request, binder);
      const column = quoteName(name);
      const ordered = type === 'boolean' ? `(${column})::integer` : column;
      const bounds = ['min', 'max'].map((bound) =>
        type === 'boolean' ? `(${bound}(${ordered}) = 1)::text` : `${bound}(${ordered})::text`,
      );
      const counts = `SELECT count(*)::float8, count(${column})::float8, count(DISTINCT ${column})::float8, ${bounds.join(', ')} FROM ${from} WHERE ${where}`;
      const frequent =
        `SELECT (${column})::text, count(*)::float8 FROM ${from} WHERE ${where} AND ${column} IS NOT NULL ` +
        `GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ${frequentValues}`;
      const [[found], values] = await Promise.all([
        ask(app, request, counts, binder.values),
        ask(app, request, frequent, binder.values),
      ]);
      const [rows, present, distinct, smallest, largest] = found as [
        number,
        number,
        number,
        string | null,
        string | null,
      ];
      return {
        name,
        rows,
        missing: rows - present,
        distinct,
        smallest,
        largest,
        frequent: values.map(([value, count]) => ({ value: String(value), rows: count as number })),
      };
    }),
  );
}

/**
 * Values of a column with the words of another, as their viewer is shown them, in the order of the words.
 *
 * @param search - a part of either, whatever its capitals
 * @throws {Refusal} `COLUMN_HIDDEN`
 */
export async function valuesWithWords(
  app: App,
  request: RowRequest,
  columns: { value: string; shown?: string },
  options: { search: string; limit: number },
): Promise<{ value: string; words: string }[]> {
  const { filter } = request;
  const names = [columns.value, columns.shown ?? columns.value];
  for (const name of names)
    if (!filter.visible.columns.some((one) => one.name === name)) throw columnHidden(filter.dataset.name, name);
  const binder = new StatementBinder();
  const { from, where } = rowsOf(request, binder);
  const [value, words] = names.map((name) => `(${quoteName(name)})::text`) as [string, string];
  const fits = `position(lower(${binder.bind(options.search, 'text')}) in lower(${value} || ' ' || ${words})) > 0`;
  const sql =
    `SELECT ${value}, min(${words}) FROM ${from} WHERE ${where} AND ${quoteName(columns.value)} IS NOT NULL AND ${fits} ` +
    `GROUP BY 1 HAVING count(*) >= ${filter.masking.minRows} ORDER BY 2, 1 LIMIT ${Math.floor(options.limit)}`;
  const found = await ask(app, request, sql, binder.values);
  return found.map(([one, shown]) => ({
    value: String(one),
    words: columns.shown ? String(shown ?? one) : String(one),
  }));
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
  const text = `SELECT ${cells.join(', ')} FROM ${tableOf(request.revision)} WHERE ${own} AND ${test} LIMIT ${sampleSize}`;
  return select(app, request, text, binder.values);
}

/** `raw` is CSV for our own eyes: no cell is guarded against spreadsheets. */
export type RowFormat = 'csv' | 'raw' | 'jsonl';

/**
 * How one column leaves in a file. Instants in CSV are as PostgreSQL writes them fastest: local time with its offset
 * (RFC 3339 with a space); in JSON they are UTC.
 */
function fileCell(column: DatasetColumn, sql: string, format: RowFormat, guarded: ReadonlySet<string>): string {
  if (format === 'csv' && guarded.has(column.name))
    return `CASE WHEN left(${sql}, 1) = ANY (${formulaStarts}) THEN '''' || ${sql} ELSE ${sql} END`;
  if (column.type === 'boolean' && format !== 'jsonl') return `(${sql})::text`;
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
    from: `FROM ${tableOf(request.revision)} WHERE ${compileSql(whereOf(request), binder)}`,
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
function formulaColumns(app: App, request: RowRequest): Promise<Set<string>> {
  const { revision } = request;
  const known = formulaColumnsOf.get(app) ?? new Map<number, Promise<Set<string>>>();
  formulaColumnsOf.set(app, known);
  const found = known.get(revision.id);
  if (found) return found;
  const texts = revision.shape.columns.filter((column) => column.type === 'text');
  // What a live source holds may change at any time.
  if (revision.isLive) return Promise.resolve(new Set(texts.map((column) => column.name)));
  const tests = texts.map((column) => `bool_or(left(${quoteName(column.name)}, 1) = ANY (${formulaStarts}))`);
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
  const client = await connect(app, request);
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
