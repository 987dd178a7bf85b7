import { maskedColumnSql } from '@underbell/core/access';
import { type ColumnProfile, type DatasetColumn } from '@underbell/core/dataset';
import { compileSql, quoteName, StatementBinder, type Cell, type TypedNode } from '@underbell/core/filter';
import { columnHidden } from '@underbell/core/report';
import { mapConcurrent, type App } from '../platform/index.ts';
import { ask, exactRowsOf, refuseSmallGroups, rowsOf, select, type RowRequest } from './request.ts';

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

const frequentValues = 5;

/** Missing, distinct, smallest, largest and most frequent values of every visible column. @throws {Refusal} `GROUPS_TOO_SMALL` */
export async function profileOf(app: App, request: RowRequest): Promise<ColumnProfile[]> {
  refuseSmallGroups(request, 'rows');
  const { columns } = request.filter.visible;
  const found = new Map<string, ColumnProfile>();
  // Each asker has a share of the connections: hundreds of columns are asked for a few at a time.
  await mapConcurrent(chunksOf(columns, columnsAtOnce), profilesAtOnce, async (some) => {
    const counts = await countsOf(app, request, some);
    for (const column of some)
      found.set(column.name, {
        name: column.name,
        ...counts.get(column.name)!,
        frequent: await frequentOf(app, request, column),
      });
  });
  return columns.map(({ name }) => found.get(name)!);
}

/** Columns of one look at the rows. */
const columnsAtOnce = 25;
const profilesAtOnce = 2;

const chunksOf = <T>(all: readonly T[], size: number): T[][] =>
  Array.from({ length: Math.ceil(all.length / size) }, (_, i) => all.slice(i * size, (i + 1) * size));

/** How many rows have a value in each of some columns, how many values there are, and between which bounds. */
async function countsOf(app: App, request: RowRequest, columns: readonly DatasetColumn[]) {
  const binder = new StatementBinder();
  const { from, where } = rowsOf(request, binder);
  const counted = columns.map(({ name, type }) => {
    const column = quoteName(name);
    const bounds = ['min', 'max'].map((bound) =>
      type === 'boolean' ? `(${bound}((${column})::integer) = 1)::text` : `${bound}(${column})::text`,
    );
    return `count(${column})::float8, count(DISTINCT ${column})::float8, ${bounds.join(', ')}`;
  });
  const sql = `SELECT count(*)::float8, ${counted.join(', ')} FROM ${from} WHERE ${where}`;
  const [[rows, ...cells]] = (await ask(app, request, sql, binder.values)) as [[number, ...(number | string | null)[]]];
  return new Map(
    columns.map(({ name }, i) => {
      const [present, distinct, smallest, largest] = cells.slice(i * 4, i * 4 + 4) as [
        number,
        number,
        string | null,
        string | null,
      ];
      return [name, { rows, missing: rows - present, distinct, smallest, largest }];
    }),
  );
}

async function frequentOf(app: App, request: RowRequest, { name }: DatasetColumn): Promise<ColumnProfile['frequent']> {
  const binder = new StatementBinder();
  const { from, where } = rowsOf(request, binder);
  const column = quoteName(name);
  const sql =
    `SELECT (${column})::text, count(*)::float8 FROM ${from} WHERE ${where} AND ${column} IS NOT NULL ` +
    `GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ${frequentValues}`;
  const found = await ask(app, request, sql, binder.values);
  return found.map(([value, count]) => ({ value: String(value), rows: count as number }));
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
  const { from, where } = exactRowsOf(request, binder);
  const test = `((${compileSql(condition, binder)}) IS ${isKept ? 'TRUE' : 'NOT TRUE'})`;
  // The condition sees no row that the asker may not see.
  const own = `(SELECT * FROM ${from} WHERE ${where} OFFSET 0) AS "own"`;
  const text = `SELECT ${cells.join(', ')} FROM ${own} WHERE ${test} LIMIT ${sampleSize}`;
  return select(app, request, text, binder.values);
}
