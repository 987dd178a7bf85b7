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
 * @param table - the quoted table of the dataset's revision
 * @param where - the whole effective filter
 */
export function compileFigureSql(
  query: FigureQuery,
  options: { table: string; where: TypedNode; binder: SqlBinder; partitionBy?: TypedNode },
): string {
  const { table, where, binder, partitionBy } = options;
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
  const from = `FROM ${table} WHERE ${compileSql(where, binder)}${groupBy}`;
  if (partition === undefined) {
    return `SELECT ${cells.join(', ')} ${from}${order.length > 0 ? ` ORDER BY ${order.join(', ')}` : ''} LIMIT ${query.limit}`;
  }
  const rank = `row_number() OVER (PARTITION BY ${partition}${order.length > 0 ? ` ORDER BY ${order.join(', ')}` : ''})`;
  const names = columns.map((one) => quoteName(one.name)).join(', ');
  return (
    `SELECT "partition value", ${names} FROM (SELECT ${partition} AS "partition value", ${cells.join(', ')}, ${rank} AS "rank" ${from}) ranked ` +
    `WHERE "rank" <= ${query.limit} ORDER BY "partition value", "rank"`
  );
}
