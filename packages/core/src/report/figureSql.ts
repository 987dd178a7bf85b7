import { compileSql, quoteName, type SqlBinder, type TypedNode } from '../filter/index.ts';
import type { FigureQuery, QueryColumn } from './figureQuery.ts';

/** How a value leaves the database: numbers as doubles, the rest as ISO text. */
export function asCell(sql: string, { type }: QueryColumn): string {
  if (type === 'number') return `(${sql})::float8`;
  if (type === 'date') return `to_char(${sql}, 'YYYY-MM-DD')`;
  if (type === 'instant') return `(extract(epoch FROM ${sql}) * 1000)::float8`;
  return sql;
}

/** The value that is grouped by: a date is gathered to the first day of its step. */
export function valueSql(column: QueryColumn, binder: SqlBinder, alias?: string): string {
  const sql = compileSql(column.node, binder, alias);
  return column.step && column.step !== 'day' ? `date_trunc('${column.step}', ${sql}::timestamp)::date` : sql;
}

export interface FigureSqlOptions {
  /** Where the rows come from and the condition they meet, as SQL. */
  readonly rows: { readonly from: string; readonly where: string };
  readonly binder: SqlBinder;
  readonly partitionBy?: TypedNode;
  readonly minRows?: number;
}

export const orderSql = (query: FigureQuery, sqlOf: (column: string) => string) =>
  query.order.map(({ column, descending }) => `${sqlOf(column)} ${descending ? 'DESC' : 'ASC'} NULLS LAST`).join(', ');

/** One row per partition of everything outside the first groups; rows without a value are outside. */
function compileBeyond(query: FigureQuery, first: FigureQuery, options: FigureSqlOptions): string {
  const { rows, binder, partitionBy } = options;
  const group = first.columns[0]!;
  const own = (alias: string) => (partitionBy ? compileSql(partitionBy, binder, alias) : undefined);
  const value = (column: QueryColumn) => valueSql(column, binder, 'r');
  const partition = own('r');
  const order = orderSql(first, (name) => value(first.columns.find((one) => one.name === name)!));
  const groups = [...(partition ? [partition] : []), value(group)];
  const ranked =
    `SELECT ${partition ?? 'NULL'} AS "p", ${value(group)} AS "g", ` +
    `row_number() OVER (${partition ? `PARTITION BY ${partition} ` : ''}ORDER BY ${order}) AS "place" ` +
    `FROM r WHERE ${value(group)} IS NOT NULL GROUP BY ${groups.join(', ')}`;
  const cells = query.columns.map((one) => `${asCell(value(one), one)} AS ${quoteName(one.name)}`);
  const same = partition ? ` AND k."p" = ${partition}` : '';
  return (
    `WITH r AS (SELECT * FROM ${rows.from} WHERE ${rows.where}), ` +
    `k AS (SELECT "p", "g" FROM (${ranked}) ranked WHERE "place" <= ${first.limit}) ` +
    `SELECT ${[...(partition ? [partition] : []), ...cells].join(', ')} FROM r LEFT JOIN k ON k."g" = ${value(group)}${same} ` +
    `WHERE k."g" IS NULL${partition ? ` GROUP BY ${partition}` : ''} HAVING count(*) > 0`
  );
}

/**
 * Compiles a figure's query. One row more than its limit is asked for, so that an answer can say that it was cut.
 *
 * With `partitionBy`, one statement answers for every value of that column: each answer row starts with the value, and
 * limits count within it. Averages and distinct counts are grouped per value, never summed up from parts.
 *
 * With `minRows` above 1, groups of fewer rows are left out. Where those have fewer rows together, the smallest of the others
 * is left out as well, because the total less the rest would tell them; of an answer by several columns nothing is left,
 * because the totals of each would.
 */
export function compileFigureSql(query: FigureQuery, options: FigureSqlOptions): string {
  if (query.beyond) return compileBeyond(query, query.beyond, options);
  const { rows, binder, partitionBy, minRows = 1 } = options;
  const columns = query.columns.map((column) => ({ ...column, sql: valueSql(column, binder) }));
  const partition = partitionBy === undefined ? undefined : compileSql(partitionBy, binder);
  const groups = [
    ...(partition ? [partition] : []),
    ...columns.filter((one) => one.role === 'group').map((one) => one.sql),
  ];
  const groupBy = query.isGrouped && groups.length > 0 ? ` GROUP BY ${groups.join(', ')}` : '';
  const order = orderSql(query, (name) => columns.find((one) => one.name === name)!.sql);
  const cells = columns.map((one) => `${asCell(one.sql, one)} AS ${quoteName(one.name)}`);
  const from = `FROM ${rows.from} WHERE ${rows.where}${groupBy}`;
  const names = columns.map((one) => quoteName(one.name)).join(', ');
  const ordered = order ? ` ORDER BY ${order}` : '';
  const { offset = 0 } = query;
  const limit = query.limit > 1 ? query.limit + 1 : query.limit;
  if (partition === undefined && minRows <= 1)
    return `SELECT ${cells.join(', ')} ${from}${ordered} LIMIT ${limit}${offset > 0 ? ` OFFSET ${offset}` : ''}`;
  const window = (inner: string) => `OVER (${partition ? `PARTITION BY ${partition}${inner ? ' ' : ''}` : ''}${inner})`;
  const ranked = [
    `${partition ?? 'NULL'} AS "partition value"`,
    ...cells,
    `row_number() ${window(ordered.trim())} AS "row rank"`,
    ...(minRows > 1
      ? [
          'count(*) AS "group rows"',
          `sum(CASE WHEN count(*) < ${minRows} THEN count(*) ELSE 0 END) ${window('')} AS "small rows"`,
          `row_number() ${window(`ORDER BY count(*) < ${minRows}, count(*)`)} AS "size rank"`,
        ]
      : []),
  ];
  const groupColumns = query.isGrouped ? columns.filter((one) => one.role === 'group').length : 0;
  const isTold =
    groupColumns > 1 ? '"small rows" > 0' : `"small rows" > 0 AND "small rows" < ${minRows} AND "size rank" = 1`;
  const large = minRows > 1 ? ` WHERE "group rows" >= ${minRows} AND NOT (${isTold})` : '';
  const shown = `SELECT *, row_number() OVER (PARTITION BY "partition value" ORDER BY "row rank") AS "row place" FROM (SELECT ${ranked.join(', ')} ${from}) ranked${large}`;
  return (
    `SELECT ${partition ? '"partition value", ' : ''}${names} FROM (${shown}) placed ` +
    `WHERE "row place" > ${offset} AND "row place" <= ${offset + limit} ORDER BY "partition value", "row place"`
  );
}

/** How many rows a query has without its limit. */
export function compileCountSql(query: FigureQuery, options: FigureSqlOptions): string {
  const all = compileFigureSql({ ...query, order: [], limit: Number.MAX_SAFE_INTEGER - 1, offset: 0 }, options);
  return `SELECT count(*)::float8 FROM (${all}) counted`;
}
