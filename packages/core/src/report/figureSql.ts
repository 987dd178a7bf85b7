import type { ValueType } from '../dataset/index.ts';
import { compileSql, quoteName, type SqlBinder, type TypedNode } from '../filter/index.ts';
import type { FigureQuery } from './figureQuery.ts';

/** How a value leaves the database: numbers as doubles, the rest as ISO text. */
function asCell(sql: string, type: ValueType): string {
  if (type === 'number') return `(${sql})::float8`;
  if (type === 'date') return `to_char(${sql}, 'YYYY-MM-DD')`;
  if (type === 'instant') return `(extract(epoch FROM ${sql}) * 1000)::float8`;
  return sql;
}

/**
 * Compiles a figure's query.
 *
 * With `partitionBy`, one statement answers for every value of that column: each answer row starts with the value, and
 * limits count within it. Averages and distinct counts are grouped per value, never summed up from parts.
 *
 * With `minRows` above 1, groups of fewer rows are left out; where that is a single one, the smallest of the others as
 * well, because the total less the rest would tell it.
 *
 * @param rows - where the rows come from and the condition they meet, as SQL
 */
export function compileFigureSql(
  query: FigureQuery,
  options: {
    rows: { readonly from: string; readonly where: string };
    binder: SqlBinder;
    partitionBy?: TypedNode;
    minRows?: number;
  },
): string {
  const { rows, binder, partitionBy, minRows = 1 } = options;
  const columns = query.columns.map((column) => ({ ...column, sql: compileSql(column.node, binder) }));
  const partition = partitionBy === undefined ? undefined : compileSql(partitionBy, binder);
  const groups = [
    ...(partition ? [partition] : []),
    ...columns.filter((one) => one.role === 'group').map((one) => one.sql),
  ];
  const groupBy = query.isGrouped && groups.length > 0 ? ` GROUP BY ${groups.join(', ')}` : '';
  const order = query.order.map(({ column, descending }) => {
    const { sql } = columns.find((one) => one.name === column)!;
    return `${sql} ${descending ? 'DESC NULLS LAST' : 'ASC NULLS LAST'}`;
  });
  const cells = columns.map((one) => `${asCell(one.sql, one.type)} AS ${quoteName(one.name)}`);
  const from = `FROM ${rows.from} WHERE ${rows.where}${groupBy}`;
  const names = columns.map((one) => quoteName(one.name)).join(', ');
  const ordered = order.length > 0 ? ` ORDER BY ${order.join(', ')}` : '';
  if (partition === undefined && minRows <= 1)
    return `SELECT ${cells.join(', ')} ${from}${ordered} LIMIT ${query.limit}`;
  const window = (inner: string) => `OVER (${partition ? `PARTITION BY ${partition}${inner ? ' ' : ''}` : ''}${inner})`;
  const ranked = [
    `${partition ?? 'NULL'} AS "partition value"`,
    ...cells,
    `row_number() ${window(ordered.trim())} AS "rank"`,
    ...(minRows > 1
      ? [
          'count(*) AS "group rows"',
          `sum((count(*) < ${minRows})::integer) ${window('')} AS "small groups"`,
          `row_number() ${window(`ORDER BY count(*) < ${minRows}, count(*)`)} AS "size rank"`,
        ]
      : []),
  ];
  const large = minRows > 1 ? ` WHERE "group rows" >= ${minRows} AND NOT ("small groups" = 1 AND "size rank" = 1)` : '';
  const shown = `SELECT *, row_number() OVER (PARTITION BY "partition value" ORDER BY "rank") AS "place" FROM (SELECT ${ranked.join(', ')} ${from}) ranked${large}`;
  return (
    `SELECT ${partition ? '"partition value", ' : ''}${names} FROM (${shown}) placed ` +
    `WHERE "place" <= ${query.limit} ORDER BY "partition value", "place"`
  );
}
