import { stepCountsSql, type EffectiveFilter } from '@underbell/core/access';
import { readNumber, type DatasetColumn, type Value } from '@underbell/core/dataset';
import { quoteName, StatementBinder } from '@underbell/core/filter';
import type { App } from '../platform/index.ts';
import { exactRowsOf, passedOf, select, tableOf, type RowRequest } from './request.ts';

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
  const { from, where } = exactRowsOf(request, binder);
  const names = columns.map((one) => quoteName(one.name));
  const groups = names.length === 0 ? '' : ` GROUP BY ${names.join(', ')}`;
  const text = `SELECT ${['count(*)::float8', ...names].join(', ')} FROM ${from} WHERE ${where}${groups}`;
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
  const steps = request.filter.parts.map((_, i) => `(count(*) FILTER (WHERE "passed" > ${i}))::float8`);
  const text = `SELECT ${['count(*)::float8', ...steps].join(', ')} FROM ${passedOf(request, binder)}`;
  const rows = await select(app, request, text, binder.values);
  return rows[0] as number[];
}

/** Of these counts, those of rows that all row rules let through: the others tell of rows that the viewer may not see. */
export function ownCounts(filter: EffectiveFilter, counts: readonly number[]): (number | undefined)[] {
  const ruled = filter.parts.filter((part) => part.origin === 'row rule').length;
  return counts.map((count, i) => (i < ruled ? undefined : count));
}

/** How many rows two viewers both see, and how many only one of them. */
export async function countBetween(
  app: App,
  first: RowRequest,
  second: RowRequest,
): Promise<{ both: number; onlyFirst: number; onlySecond: number }> {
  const binder = new StatementBinder();
  const passed = [first, second].map(({ filter }) => `${stepCountsSql(filter, binder)} = ${filter.parts.length}`);
  const count = (condition: string) => `(count(*) FILTER (WHERE ${condition}))::float8`;
  const from = `(SELECT ${passed[0]} AS "a", ${passed[1]} AS "b" FROM ${tableOf(first.revision)}) AS "compared"`;
  const text = `SELECT ${count('"a" AND "b"')}, ${count('"a" AND NOT "b"')}, ${count('NOT "a" AND "b"')} FROM ${from}`;
  const [row] = await select(app, first, text, binder.values);
  const [both, onlyFirst, onlySecond] = row as [number, number, number];
  return { both, onlyFirst, onlySecond };
}
