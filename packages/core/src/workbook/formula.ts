import type { Calculation } from '../report/index.ts';

type ColumnName = (column: number) => string;

/** Higher binds tighter. */
const strength = { '+': 1, '-': 1, '*': 2, '/': 2 } as const;

function written(one: Calculation, nameOf: ColumnName, around = 0): string {
  if ('column' in one) return nameOf(one.column);
  if ('value' in one) return one.value < 0 ? `(${one.value})` : String(one.value);
  const [left, right] = one.args;
  const quotient = () => `TRUNC(${written({ op: '/', args: one.args }, nameOf)})`;
  if (one.op === 'div') return quotient();
  // The rest has the sign of the dividend, which the function of workbooks for it would turn around.
  if (one.op === '%') return `(${written(left, nameOf, 1)}-${written(right, nameOf, 2)}*${quotient()})`;
  const own = strength[one.op];
  const text = `${written(left, nameOf, own)}${one.op}${written(right, nameOf, own + 1)}`;
  return own < around ? `(${text})` : text;
}

/** Columns that must hold a number; a divisor need not be looked at, because nothing can be divided by a missing one. */
function needed(one: Calculation, isDivisor = false): number[] {
  if ('column' in one) return one.mayBeMissing && !isDivisor ? [one.column] : [];
  if ('value' in one) return [];
  const [left, right] = one.args;
  return [...needed(left), ...needed(right, one.op !== '+' && one.op !== '-' && one.op !== '*')];
}

function divides(one: Calculation): boolean {
  return 'op' in one && (!['+', '-', '*'].includes(one.op) || one.args.some(divides));
}

/**
 * A formula by which a cell follows from others, in the language of workbooks (ECMA-376 part 1, section 18.17); empty
 * text where the calculation has no value.
 *
 * @param nameOf - a reference to the cell of a column
 */
export function formulaOf(calculation: Calculation, nameOf: ColumnName): string {
  const columns = [...new Set(needed(calculation))].map(nameOf);
  const text = written(calculation, nameOf);
  const safe = divides(calculation) ? `IFERROR(${text},"")` : text;
  if (columns.length === 0) return safe;
  const areThere = columns.length === 1 ? `ISNUMBER(${columns[0]})` : `COUNT(${columns.join(',')})=${columns.length}`;
  return `IF(${areThere},${safe},"")`;
}

/** The cell of this row in a column of a table, by the column's heading. */
export function ownCell(table: string, heading: string): string {
  return `${table}[[#This Row],[${heading.replace(/[[\]#']/g, "'$&")}]]`;
}
