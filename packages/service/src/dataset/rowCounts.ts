import { readNumber, type DatasetColumn, type Value } from '@underbell/core/dataset';
import { allOf, compileSql, quoteName, StatementBinder } from '@underbell/core/filter';
import type { App } from '../platform/index.ts';
import { select, tableOf, whereOf, type RowRequest } from './road.ts';

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

/** How many rows each combination of values of some columns has; those with a missing value are left out. */
export async function countRowsPerTuple(
  app: App,
  request: RowRequest,
  columns: readonly DatasetColumn[],
): Promise<{ readonly tuple: readonly Value[]; readonly rows: number }[]> {
  const binder = new StatementBinder();
  const where = compileSql(whereOf(request), binder);
  const names = columns.map((one) => quoteName(one.name));
  const groups = names.length === 0 ? '' : ` GROUP BY ${names.join(', ')}`;
  const text = `SELECT ${['count(*)::float8', ...names].join(', ')} FROM ${tableOf(request.revision)} WHERE ${where}${groups}`;
  const rows = await select(app, request, text, binder.values);
  return rows.flatMap(([count, ...values]) =>
    values.includes(null)
      ? []
      : [{ tuple: values.map((value, i) => keyValue(value, columns[i]!)), rows: count as number }],
  );
}

/** How many rows a viewer may see. */
export async function countRows(app: App, request: RowRequest): Promise<number> {
  const [all] = await countRowsPerTuple(app, request, []);
  return all?.rows ?? 0;
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
