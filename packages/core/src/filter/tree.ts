import type { ExactNumber } from '../dataset/index.ts';

/** Offsets into the filter text, UTF-16 units, end exclusive; in CQL2 JSON the JSON Pointer (RFC 6901) instead. */
export interface Span {
  readonly start: number;
  readonly end: number;
  readonly pointer?: string;
}

export type ComparisonOperator = '=' | '<>' | '<' | '<=' | '>' | '>=';
export type ArithmeticOperator = '+' | '-' | '*' | '/' | '%' | 'div' | '^';
/** Relations of two spans of time. @see OGC 21-065r2, section 8.7 */
export type TemporalOperator = (typeof temporalOperators)[number];
/** Relations of two sets of values. @see OGC 21-065r2, section 8.8 */
export type ArrayOperator = (typeof arrayOperators)[number];
/** Operators by their CQL2 JSON names (OGC 21-065r2, section 8). */
export type Operator =
  | ComparisonOperator
  | ArithmeticOperator
  | TemporalOperator
  | ArrayOperator
  | 'and'
  | 'or'
  | 'not'
  | 'in'
  | 'between'
  | 'like'
  | 'isNull'
  | 'casei'
  | 'accenti';

export const comparisonOperators: readonly ComparisonOperator[] = ['=', '<>', '<', '<=', '>', '>='];
export const arithmeticOperators: readonly ArithmeticOperator[] = ['+', '-', '*', '/', '%', 'div', '^'];
export const temporalOperators = [
  't_after',
  't_before',
  't_contains',
  't_disjoint',
  't_during',
  't_equals',
  't_finishedBy',
  't_finishes',
  't_intersects',
  't_meets',
  't_metBy',
  't_overlappedBy',
  't_overlaps',
  't_startedBy',
  't_starts',
] as const;
export const arrayOperators = ['a_containedBy', 'a_contains', 'a_equals', 'a_overlaps'] as const;

/** What the parser understood, before any name or type is known. */
export type FilterNode =
  | { readonly kind: 'text'; readonly value: string; readonly span: Span }
  | { readonly kind: 'number'; readonly value: ExactNumber; readonly span: Span }
  | { readonly kind: 'boolean'; readonly value: boolean; readonly span: Span }
  /** `value` is the ISO 8601 text inside DATE('…') or TIMESTAMP('…'). */
  | { readonly kind: 'date' | 'instant'; readonly value: string; readonly span: Span }
  /** An end left open (`'..'`) is undefined. */
  | { readonly kind: 'interval'; readonly from?: FilterNode; readonly to?: FilterNode; readonly span: Span }
  | { readonly kind: 'array'; readonly items: readonly FilterNode[]; readonly span: Span }
  | { readonly kind: 'column'; readonly name: string; readonly quoted: boolean; readonly span: Span }
  | { readonly kind: 'call'; readonly name: string; readonly args: readonly FilterNode[]; readonly span: Span }
  | OperationNode;

export interface OperationNode {
  readonly kind: 'operation';
  readonly op: Operator;
  readonly args: readonly FilterNode[];
  readonly span: Span;
}

/** A filter text may be this long, in UTF-16 units. */
export const maxFilterLength = 16_384;
/** Parentheses, NOT and function calls may nest this deep. */
export const maxFilterDepth = 64;
/** Arithmetic without parentheses may run this long. */
export const maxArithmeticLength = 256;

/** Names of the standard's spatial functions and geometries, none of which figures have a use for. */
export function isSpatialName(name: string): boolean {
  return /^s_\w+$|^(point|linestring|polygon|multi(point|linestring|polygon)|geometrycollection|bbox)$/i.test(name);
}

/** Words with a meaning of their own; a column of such a name stands in double quotes. */
export const keywords: ReadonlySet<string> = new Set([
  'AND',
  'OR',
  'NOT',
  'IN',
  'BETWEEN',
  'LIKE',
  'IS',
  'NULL',
  'TRUE',
  'FALSE',
  'DIV',
]);
/** A name that needs no quotes. */
export const bareName = /^[\p{L}_][\p{L}\p{N}_.]*$/u;

/** The names of columns that an expression mentions, as they stand, each once. */
export function columnNamesIn(node: FilterNode): Set<string> {
  const names = new Set<string>();
  const visit = (one: FilterNode): void => {
    if (one.kind === 'column') names.add(one.name);
    else if (one.kind === 'operation' || one.kind === 'call') one.args.forEach(visit);
    else if (one.kind === 'array') one.items.forEach(visit);
    else if (one.kind === 'interval') [one.from, one.to].forEach((bound) => bound && visit(bound));
  };
  visit(node);
  return names;
}
