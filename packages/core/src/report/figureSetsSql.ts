import { compileSql, type Cell, type TypedNode } from '../filter/index.ts';
import type { FigureQuery, QueryColumn } from './figureQuery.ts';
import { asCell, orderSql, valueSql, type FigureSqlOptions } from './figureSql.ts';

/** What a column of the statement holds, by which queries share it: a report gives a measure's name to one expression. */
const keyOf = ({ role, name, step = 'day' }: QueryColumn) => JSON.stringify([role, name, step]);

const cellTypes = { number: 'float8', instant: 'float8', date: 'text', text: 'text', boolean: 'boolean' } as const;

function mentionsDistinct(node: TypedNode): boolean {
  if (node.kind === 'aggregate') return node.name === 'count_distinct';
  return node.kind === 'operation' && node.args.some(mentionsDistinct);
}

/**
 * Whether a query can share its scan with others. Distinct values are counted by sorting, which every other query of the
 * statement would have to join in.
 */
export function canShareScan({ isGrouped, columns, beyond, offset = 0 }: FigureQuery): boolean {
  return isGrouped && beyond === undefined && offset === 0 && !columns.some(({ node }) => mentionsDistinct(node));
}

/** A statement for several queries of the same rows. */
export interface FigureSets {
  readonly text: string;
  /** What a row of its answer is: the query, the value of `partitionBy`, the row's place from 0, and its cells. */
  read(row: readonly Cell[]): { query: number; partition: Cell; place: number; cells: Cell[] };
}

/**
 * Compiles queries into one statement that reads their rows once and groups them in as many ways as there are queries,
 * for every value of `partitionBy`. Each query keeps its order and its limit, of which one row more is answered.
 *
 * @param queries - those that `canShareScan`
 */
export function compileFigureSetsSql(
  queries: readonly FigureQuery[],
  { rows, binder, partitionBy }: Omit<FigureSqlOptions, 'minRows'> & { readonly partitionBy: TypedNode },
): FigureSets {
  const columns = new Map<string, { column: QueryColumn; alias: string }>();
  for (const column of queries.flatMap((one) => one.columns))
    if (!columns.has(keyOf(column))) columns.set(keyOf(column), { column, alias: `"c${columns.size}"` });
  const all = [...columns.values()].map((one) => ({ ...one, sql: valueSql(one.column, binder) }));
  const partition = compileSql(partitionBy, binder);
  // What all are parted by is grouped by in every way, and grouping() says so.
  const groups = all.filter(({ column, sql }) => column.role === 'group' && sql !== partition);
  const has = (query: FigureQuery, column: QueryColumn) => query.columns.some((one) => keyOf(one) === keyOf(column));
  /** A bit for each group, set where it is not grouped by; the first is the highest. */
  const maskOf = (query: FigureQuery) =>
    groups.reduce((mask, { column }) => mask * 2 + (has(query, column) ? 0 : 1), 0);
  const sets = new Map(
    queries.map((query) => [
      maskOf(query),
      `(${[partition, ...groups.filter(({ column }) => has(query, column)).map(({ sql }) => sql)].join(', ')})`,
    ]),
  );
  const set = groups.length === 0 ? '0' : `grouping(${groups.map(({ sql }) => sql).join(', ')})`;
  const grouped =
    `SELECT ${partition} AS "p", ${set} AS "set"${all.map(({ sql, alias }) => `, ${sql} AS ${alias}`).join('')} ` +
    `FROM ${rows.from} WHERE ${rows.where} GROUP BY GROUPING SETS (${[...sets.values()].join(', ')})`;
  const branches = queries.map((query, i) => {
    const aliasOf = (name: string) => columns.get(keyOf(query.columns.find((one) => one.name === name)!))!.alias;
    const order = orderSql(query, aliasOf);
    const isOneLine = query.columns.every((one) => one.role !== 'group');
    const place = isOneLine ? '1' : `row_number() OVER (PARTITION BY "p"${order ? ` ORDER BY ${order}` : ''})`;
    const cells = all.map(({ column, alias }) =>
      has(query, column) ? asCell(alias, column) : `NULL::${cellTypes[column.type]}`,
    );
    const own = `SELECT g.*, ${place} AS "place" FROM g WHERE "set" = ${maskOf(query)}`;
    const limit = query.limit > 1 ? query.limit + 1 : query.limit;
    return `SELECT ${i}, "p", "place"::float8${cells.map((one) => `, ${one}`).join('')} FROM (${own}) AS q${i} WHERE "place" <= ${limit}`;
  });
  const places = queries.map((query) =>
    query.columns.map((column) => all.findIndex((one) => keyOf(one.column) === keyOf(column))),
  );
  return {
    text: `WITH g AS MATERIALIZED (${grouped}) ${branches.join(' UNION ALL ')}`,
    read: ([query, value, place, ...cells]) => ({
      query: query as number,
      partition: value!,
      place: (place as number) - 1,
      cells: places[query as number]!.map((at) => cells[at] ?? null),
    }),
  };
}
