import type { TypedNode, TypedOperator } from './typed.ts';

const comparisons: ReadonlySet<TypedOperator> = new Set(['=', '<>', '<', '<=', '>', '>=', 'in', 'between']);
/** A pattern with more runs may take long on some texts, and how long it takes would tell of them. */
const mostRuns = 2;

const isBare = (node: TypedNode): boolean => node.kind === 'column' || node.kind === 'literal';

function isShortPattern(node: TypedNode | undefined): boolean {
  return node?.kind === 'literal' && (String(node.value).match(/%/g)?.length ?? 0) <= mostRuns;
}

/**
 * Whether a condition neither fails nor takes noticeably longer on any row there could be: columns compared with values
 * or with each other, and what joins such comparisons. Arithmetic, functions and changes of type are not among them: a
 * number may leave the range of its type.
 */
export function isSafeCondition(node: TypedNode): boolean {
  if (node.kind === 'literal' || node.kind === 'column') return node.type === 'boolean';
  if (node.kind === 'aggregate') return false;
  const { op, args } = node;
  if (op === 'and' || op === 'or' || op === 'not') return args.every(isSafeCondition);
  if (op === 'isNull') return args[0]!.kind === 'column';
  if (op === 'like') return args[0]!.kind === 'column' && isShortPattern(args[1]);
  return comparisons.has(op) && args.every(isBare);
}

/** The conditions that all hold where this one does, as far as AND joins them at its top. */
export function conjunctsOf(node: TypedNode): readonly TypedNode[] {
  return node.kind === 'operation' && node.op === 'and' ? node.args.flatMap(conjunctsOf) : [node];
}
