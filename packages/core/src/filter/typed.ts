import type { DatasetColumn, Value, ValueType } from '../dataset/index.ts';
import type { ComparisonOperator } from './tree.ts';

export type AggregateName = 'count' | 'sum' | 'avg' | 'min' | 'max' | 'count_distinct';

/**
 * What both back ends understand. Relations of time and of lists are said with these; `double` makes an exact number a
 * double, where something else in the comparison already is one.
 */
export type TypedOperator =
  | ComparisonOperator
  | 'and'
  | 'or'
  | 'not'
  | 'in'
  | 'between'
  | 'like'
  | 'isNull'
  | '+'
  | '-'
  | '*'
  | '/'
  | '%'
  | 'div'
  | 'casei'
  | 'accenti'
  | 'double';

/** A checked expression: every name is known, every type fits. Both back ends start from here and share nothing else. */
export type TypedNode =
  /** `from` says where a value came from that was not written in the text: `person('quay')`. */
  | { readonly kind: 'literal'; readonly type: ValueType; readonly value: Value; readonly from?: string }
  | { readonly kind: 'column'; readonly type: ValueType; readonly column: DatasetColumn }
  | { readonly kind: 'aggregate'; readonly type: ValueType; readonly name: AggregateName; readonly arg?: TypedNode }
  | {
      readonly kind: 'operation';
      readonly type: ValueType;
      readonly op: TypedOperator;
      readonly args: readonly TypedNode[];
    };

/** The columns that an expression reads, each once. */
export function columnsOf(node: TypedNode): DatasetColumn[] {
  const found = new Map<string, DatasetColumn>();
  const visit = (one: TypedNode): void => {
    if (one.kind === 'column') found.set(one.column.name, one.column);
    else if (one.kind === 'aggregate' && one.arg) visit(one.arg);
    else if (one.kind === 'operation') one.args.forEach(visit);
  };
  visit(node);
  return [...found.values()];
}

/** Conditions that must all hold, as one expression; none at all is TRUE. */
export function allOf(nodes: readonly TypedNode[]): TypedNode {
  if (nodes.length === 1) return nodes[0]!;
  if (nodes.length === 0) return { kind: 'literal', type: 'boolean', value: true };
  return { kind: 'operation', type: 'boolean', op: 'and', args: nodes };
}

/** Conditions of which one must hold; none at all is FALSE. */
export function anyOf(nodes: readonly TypedNode[]): TypedNode {
  if (nodes.length === 1) return nodes[0]!;
  if (nodes.length === 0) return nothing;
  return { kind: 'operation', type: 'boolean', op: 'or', args: nodes };
}

/** The condition that no row meets. */
export const nothing: TypedNode = { kind: 'literal', type: 'boolean', value: false };

/** A column equal to one of some values; no values means no rows. */
export function columnIn(column: DatasetColumn, type: ValueType, values: readonly Value[], from?: string): TypedNode {
  if (values.length === 0) return nothing;
  const left: TypedNode = { kind: 'column', type, column };
  const literals = values.map((value): TypedNode => ({ kind: 'literal', type, value, ...(from ? { from } : {}) }));
  const op = literals.length === 1 ? '=' : 'in';
  return { kind: 'operation', type: 'boolean', op, args: [left, ...literals] };
}

/** Whether a number is computed in doubles (after a division) rather than exactly. */
export function isDouble(node: TypedNode): boolean {
  if (node.kind !== 'operation' || node.type !== 'number') return false;
  return node.op === '/' || node.op === 'double' || node.args.some(isDouble);
}

/** A condition of operands. */
export function conditionOf(op: TypedOperator, ...args: readonly TypedNode[]): TypedNode {
  return { kind: 'operation', type: 'boolean', op, args };
}

/** An exact number as a double. */
export function asDouble(node: TypedNode): TypedNode {
  return isDouble(node) ? node : { kind: 'operation', type: 'number', op: 'double', args: [node] };
}
