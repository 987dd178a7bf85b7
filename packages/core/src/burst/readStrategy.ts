import type { DatasetColumn, Value } from '../dataset/index.ts';
import { readFilter, type FilterNode, type TypedNode } from '../filter/index.ts';
import type { Page, Parameter, ReportDefinition } from '../report/index.ts';
import type { BurstDefinition } from './definition.ts';
import { childrenOf, isCallOf } from './recipientColumns.ts';

/** How rows and figures of a run are read. */
export type CutStrategy =
  | { readonly kind: 'one pass'; readonly because: string }
  /** Copies that no scan can be cut into. */
  | { readonly kind: 'a query each'; readonly because: string };

const some = (node: FilterNode, test: (one: FilterNode) => boolean): boolean =>
  test(node) || childrenOf(node).some((one) => some(one, test));

const conditionsIn = (node: FilterNode): readonly FilterNode[] =>
  node.kind === 'operation' && node.op === 'and' ? node.args.flatMap(conditionsIn) : [node];

/** Whether a condition is `column = recipient('…')` or `column IN (recipient('…'), …)`, by which a scan can be cut. */
function isEquality(node: FilterNode): boolean {
  if (node.kind !== 'operation' || (node.op !== '=' && node.op !== 'in')) return false;
  const [left, ...values] = node.args;
  if (node.op === '=' && left && isCallOf(left, 'recipient')) return values[0]?.kind === 'column';
  return left?.kind === 'column' && values.every((one) => isCallOf(one, 'recipient') || literals.has(one.kind));
}

const literals: ReadonlySet<string> = new Set(['text', 'number', 'boolean', 'date', 'instant']);

/** Whether a text asks for `param('name')`, or an end of it. */
function asksFor(text: string | undefined, names: ReadonlySet<string>): string | undefined {
  if (text === undefined) return undefined;
  let found: string | undefined;
  some(readFilter(text), (one) => {
    const [arg] = isCallOf(one, 'param') ? one.args : [];
    const name = arg?.kind === 'text' ? arg.value.replace(/\.(from|to)$/, '') : undefined;
    if (name !== undefined && names.has(name)) found = name;
    return found !== undefined;
  });
  return found;
}

/**
 * Decides how the copies of a burst are read: all from one scan where each is told by values of columns, or a query each.
 *
 * @param bound - the parameters that list columns fill
 */
export function decideStrategy(
  definition: BurstDefinition,
  report: ReportDefinition,
  page: Page,
  bound: readonly Parameter[],
): CutStrategy {
  const each = (because: string): CutStrategy => ({ kind: 'a query each', because });
  if (definition.asSeenBy === 'recipient') return each('row rules of the recipients apply');
  const period = bound.find((one) => one.period === true);
  if (period) return each(`parameter “${period.name}” is a range, and ranges can overlap`);
  for (const [dataset, text] of Object.entries(definition.where ?? {})) {
    const odd = conditionsIn(readFilter(text)).find(
      (one) => some(one, (node) => isCallOf(node, 'recipient')) && !isEquality(one),
    );
    if (odd)
      return each(`the filter of dataset “${dataset}” does more than compare a column with values of the recipient`);
  }
  const names = new Set(bound.map((one) => one.name));
  const texts = [report.where, page.where, ...page.figures.map((one) => ('where' in one ? one.where : undefined))];
  const asked = texts.map((text) => asksFor(text, names)).find((one) => one !== undefined);
  if (asked !== undefined) return each(`a filter of the report uses “${asked}”`);
  return { kind: 'one pass', because: 'column values separate the copies' };
}

/** Whether a condition looks at anything of the recipient. */
export function looksAtRecipient(node: TypedNode): boolean {
  if (node.kind === 'literal') return node.from?.startsWith('recipient(') === true;
  if (node.kind === 'operation') return node.args.some(looksAtRecipient);
  return node.kind === 'aggregate' && node.arg !== undefined && looksAtRecipient(node.arg);
}

/** The conditions that must all hold, one by one. */
export function conditionsOf(node: TypedNode): readonly TypedNode[] {
  return node.kind === 'operation' && node.op === 'and' ? node.args.flatMap(conditionsOf) : [node];
}

/** Column name -> the values that its rows may have in one cut. */
export type Keys = ReadonlyMap<string, { readonly column: DatasetColumn; readonly values: readonly Value[] }>;

/**
 * The values of columns that conditions of the form `column = value` and `column IN (values)` ask for; where a column is
 * asked twice, what both allow.
 *
 * @throws {TypeError} for a condition of another form: such a burst takes a query each
 */
export function keysOf(nodes: readonly TypedNode[]): Keys {
  const keys = new Map<string, { column: DatasetColumn; values: readonly Value[] }>();
  for (const node of nodes.flatMap(conditionsOf)) {
    const args = node.kind === 'operation' && (node.op === '=' || node.op === 'in') ? node.args : [];
    const [column, ...literals] = args[0]?.kind === 'column' ? args : [...args].reverse();
    if (column?.kind !== 'column') throw new TypeError('this condition cannot cut a scan');
    const values = literals.map((one) => {
      if (one.kind !== 'literal') throw new TypeError('this condition cannot cut a scan');
      return one.value;
    });
    const known = keys.get(column.column.name);
    const both = known ? known.values.filter((one) => values.includes(one)) : values;
    keys.set(column.column.name, { column: column.column, values: [...new Set(both)] });
  }
  return keys;
}

/** Longer products of values are no help to a scan. */
const mostTuples = 100_000;

/**
 * Every combination of values that belongs to a cut, in the order of the columns.
 *
 * @throws {TypeError} beyond 100,000 of them
 */
export function tuplesOf(keys: Keys, columns: readonly DatasetColumn[]): Value[][] {
  let tuples: Value[][] = [[]];
  for (const { name } of columns) {
    const values = keys.get(name)?.values ?? [];
    if (tuples.length * values.length > mostTuples)
      throw new TypeError(`more than ${mostTuples} combinations of values`);
    tuples = tuples.flatMap((one) => values.map((value) => [...one, value]));
  }
  return tuples;
}

/** What tells combinations of values apart. */
export const tupleKey = (values: readonly (Value | null | undefined)[]): string =>
  values.length === 1 && typeof values[0] === 'string' ? values[0] : JSON.stringify(values);
