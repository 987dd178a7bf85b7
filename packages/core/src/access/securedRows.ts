import type { DatasetColumn } from '../dataset/index.ts';
import {
  compileSql,
  conjunctsOf,
  isSafeCondition,
  quoteName,
  type SqlBinder,
  type TypedNode,
} from '../filter/index.ts';
import type { EffectiveFilter } from './effectiveFilter.ts';
import type { FilterPart } from './filterOrder.ts';
import { isOutside, layerOf } from './filterOrder.ts';
import { isMasked } from './masks.ts';
import { maskedColumnSql } from './maskSql.ts';

/** Rows as SQL: what is selected from, and the condition that they meet. */
export interface RowsSql {
  readonly from: string;
  readonly where: string;
}

interface RowsOptions {
  /** What the rows are in, as SQL. */
  readonly table: string;
  readonly binder: SqlBinder;
}

/** A condition that is compiled already, and whether it might fail on some row. */
interface Term {
  readonly sql: string;
  readonly isSafeCondition: boolean;
}

/** Limits look at exact values; what somebody writes who is masked looks at what they are shown. */
function columnsFor(part: FilterPart, filter: EffectiveFilter, binder: SqlBinder) {
  if (!isOutside(part)) return (column: DatasetColumn) => quoteName(column.name);
  return (column: DatasetColumn) => maskedColumnSql(column, filter.masking, binder);
}

/** The same value stands for the column, exact or masked; coarse ones are computed, which may fail. */
const isExact = (node: TypedNode, filter: EffectiveFilter): boolean =>
  node.kind === 'column'
    ? !filter.masking.hidden.has(node.column.name) && !filter.masking.coarse.has(node.column.name)
    : node.kind !== 'operation' || node.args.every((arg) => isExact(arg, filter));

function termsOf(parts: readonly FilterPart[], filter: EffectiveFilter, binder: SqlBinder): Term[] {
  return parts.flatMap((part) =>
    conjunctsOf(part.node).map((node) => ({
      sql: compileSql(node, binder, columnsFor(part, filter, binder)),
      isSafeCondition: isSafeCondition(node) && (!isOutside(part) || isExact(node, filter)),
    })),
  );
}

/** Conditions level by level. The database moves none of them from one level into another. */
class Levels {
  #from: string;
  #terms: string[] = [];
  #mayFail = false;

  constructor(table: string) {
    this.#from = table;
  }

  /** Harmless conditions stand beside those before them, where an index helps all of them; others get a level of their own. */
  add(terms: readonly Term[]): void {
    const harmless = terms.filter((term) => term.isSafeCondition);
    const others = terms.filter((term) => !term.isSafeCondition);
    if (harmless.length > 0 && this.#mayFail) this.#fence();
    this.#terms.push(...harmless.map((term) => term.sql));
    if (others.length === 0) return;
    if (this.#terms.length > 0) this.#fence();
    this.#terms.push(...others.map((term) => term.sql));
    this.#mayFail = true;
  }

  // The planner neither pulls up a query with OFFSET nor pushes a condition into it.
  #fence(): void {
    this.#from = `(SELECT * FROM ${this.#from} WHERE ${this.#terms.join(' AND ')} OFFSET 0) AS "fenced"`;
    this.#terms = [];
    this.#mayFail = false;
  }

  get rows(): RowsSql {
    return { from: this.#from, where: this.#terms.length === 0 ? 'TRUE' : this.#terms.join(' AND ') };
  }
}

/**
 * The rows of one viewing with their exact values, for whoever cuts or masks them.
 *
 * Each limit is evaluated on rows that all limits of the layers before it let through, and on no other: row rules,
 * then the token, then what is stored, then what readers send. What can neither fail nor tell by its time may stand
 * beside them, so that the database still finds rows by it.
 */
export function exactRowsSql(filter: EffectiveFilter, { table, binder }: RowsOptions): RowsSql {
  const levels = new Levels(table);
  for (const layer of [0, 1, 2, 3])
    levels.add(
      termsOf(
        filter.parts.filter((part) => layerOf(part) === layer),
        filter,
        binder,
      ),
    );
  return levels.rows;
}

/** The rows of one viewing as SQL, as their viewer is shown them: what figures select from. */
export function rowsSql(filter: EffectiveFilter, options: RowsOptions): RowsSql {
  const { masking, dataset } = filter;
  const { from, where } = exactRowsSql(filter, options);
  if (!isMasked(masking)) return { from, where };
  const shown = dataset.columns.filter((column) => !masking.hidden.has(column.name));
  // A dataset whose columns are all hidden still has rows to count.
  const columns =
    shown.length === 0
      ? '1 AS "nothing"'
      : shown
          .map((column) => `${maskedColumnSql(column, masking, options.binder)} AS ${quoteName(column.name)}`)
          .join(', ');
  return { from: `(SELECT ${columns} FROM ${from} WHERE ${where}) AS "masked"`, where: 'TRUE' };
}

/**
 * How many of the filter's limits a row passes, in their order, as SQL over the raw columns: as many as there are for a
 * row that its viewer may see. A limit is not evaluated on a row that one before it left out.
 */
export function stepCountsSql(filter: EffectiveFilter, binder: SqlBinder): string {
  const { parts } = filter;
  if (parts.length === 0) return '0';
  const steps = parts.map(
    (part, i) => `WHEN (${compileSql(part.node, binder, columnsFor(part, filter, binder))}) IS NOT TRUE THEN ${i}`,
  );
  return `(CASE ${steps.join(' ')} ELSE ${parts.length} END)`;
}
