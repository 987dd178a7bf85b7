import type pg from 'pg';
import type { ColumnType, DatasetColumn } from '@underbell/core/dataset';
import { quoteName } from '@underbell/core/filter';

const pgTypes: Record<ColumnType, string> = {
  // By code point, so that comparisons mean the same in SQL and in memory.
  text: 'text COLLATE "C"',
  integer: 'bigint',
  number: 'numeric',
  boolean: 'boolean',
  date: 'date',
  instant: 'timestamptz',
};

/** The type of a column as a cast names it. */
export function columnPgType(type: ColumnType): string {
  return pgTypes[type].replace(/ COLLATE.*/, '');
}

export function dataTable(tableName: string): string {
  return `data.${quoteName(tableName)}`;
}

export function createTableSql(tableName: string, columns: readonly DatasetColumn[]): string {
  return `CREATE TABLE ${dataTable(tableName)} (${columns.map((one) => `${quoteName(one.name)} ${pgTypes[one.type]}`).join(', ')})`;
}

/** The rows of a source's query as a table of these columns, for datasets that stay where they are. */
export function liveTable(sql: string, columns: readonly DatasetColumn[]): string {
  const cells = columns.map((one) => `(q.${quoteName(one.name)})::${pgTypes[one.type]} AS ${quoteName(one.name)}`);
  return `(SELECT ${cells.join(', ')} FROM (\n${sql}\n) AS q) AS "live"`;
}

/** Rows out of a source's query, typed and laid out, as COPY writes them. */
export function sourceCopySql(sql: string, columns: readonly DatasetColumn[], order: readonly string[]): string {
  const cells = columns.map((one) => `(q.${quoteName(one.name)})::${columnPgType(one.type)}`);
  const orderBy = order.length > 0 ? ` ORDER BY ${order.map((name) => `q.${quoteName(name)}`).join(', ')}` : '';
  return `COPY (SELECT ${cells.join(', ')} FROM (\n${sql}\n) AS q${orderBy}) TO STDOUT`;
}

export function indexSql(tableName: string, columns: readonly DatasetColumn[]): string[] {
  return columns
    .filter((one) => one.key !== undefined)
    .map((one) => `CREATE INDEX ON ${dataTable(tableName)} (${quoteName(one.name)})`);
}

/** Beyond so many rows a filter on such a column reads most pages anyway, and making the index takes long. */
const pickableRows = 1_000_000;
/** A column is picked by when it has this many values: fewer leave a good part of the rows, more are seldom shown. */
const pickableValues = { least: 8, most: 2000, columns: 6 };

/**
 * Indexes for columns of text that readers pick marks by, from the statistics of a filled table: any with some dozens
 * of values, the keys aside.
 */
export async function pickIndexSql(
  client: pg.ClientBase,
  tableName: string,
  columns: readonly DatasetColumn[],
  rows: number,
): Promise<string[]> {
  if (rows > pickableRows) return [];
  const texts = columns.filter((one) => one.type === 'text' && one.key === undefined).map((one) => one.name);
  // Below zero the statistics count values as a share of the rows.
  const { rows: found } = await client.query<{ name: string }>(
    `SELECT attname AS name FROM (
       SELECT attname, CASE WHEN n_distinct < 0 THEN -n_distinct * $3 ELSE n_distinct END AS number
       FROM pg_stats WHERE schemaname = 'data' AND tablename = $1 AND attname = ANY($2)
     ) AS counted WHERE number BETWEEN $4 AND $5 ORDER BY number, attname LIMIT $6`,
    [tableName, texts, rows, pickableValues.least, pickableValues.most, pickableValues.columns],
  );
  return found.map(({ name }) => `CREATE INDEX ON ${dataTable(tableName)} (${quoteName(name)})`);
}

const typeOfOid = new Map<number, ColumnType>([
  [16, 'boolean'],
  [20, 'integer'],
  [21, 'integer'],
  [23, 'integer'],
  [700, 'number'],
  [701, 'number'],
  [1700, 'number'],
  [1082, 'date'],
  [1184, 'instant'],
]);

/** The column type of a PostgreSQL type; everything else is text. */
export function columnTypeOf(oid: number): ColumnType {
  return typeOfOid.get(oid) ?? 'text';
}
