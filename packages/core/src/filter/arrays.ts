import { typeWords, type Check } from './scope.ts';
import type { ArrayOperator, FilterNode, OperationNode } from './tree.ts';
import { allOf, anyOf, asDouble, conditionOf, isDouble, type TypedNode } from './typed.ts';

/** Lists compare each with each; this many pairs at most. */
const maxPairs = 10_000;

const isOneOf = (value: TypedNode, values: readonly TypedNode[]): TypedNode => {
  if (values.length === 0) return anyOf([]);
  return conditionOf(values.length === 1 ? '=' : 'in', value, ...values);
};
const everyOneIn = (some: readonly TypedNode[], values: readonly TypedNode[]) =>
  allOf(some.map((one) => isOneOf(one, values)));

const relations: Record<ArrayOperator, (a: readonly TypedNode[], b: readonly TypedNode[]) => TypedNode> = {
  a_contains: (a, b) => everyOneIn(b, a),
  a_containedBy: (a, b) => everyOneIn(a, b),
  a_equals: (a, b) => allOf([everyOneIn(a, b), everyOneIn(b, a)]),
  a_overlaps: (a, b) => anyOf(a.map((one) => isOneOf(one, b))),
};

const items = (node: FilterNode): readonly FilterNode[] => (node.kind === 'array' ? node.items : [node]);

/**
 * Checks a relation of two lists (as sets) and says it with comparisons, so that a missing value counts as in SQL:
 * neither equal nor different.
 *
 * @throws {Refusal} `FILTER_WRONG_TYPE`, `FILTER_TOO_LONG`
 * @see OGC 21-065r2, section 8.8
 */
export function checkArrays(check: Check, node: OperationNode & { op: ArrayOperator }): TypedNode {
  for (const arg of node.args) {
    if (arg.kind === 'array' || check.isValueCall(arg)) continue;
    throw check.refuse(arg, 'FILTER_WRONG_TYPE', `${node.op.toUpperCase()} compares lists.`, {
      hint: `Write a list in parentheses: (${check.written(arg)})`,
    });
  }
  const all = node.args.flatMap(items);
  const guide = all.find((one) => !check.isValueCall(one));
  const type = guide === undefined ? 'text' : check.type(guide).type;
  const [a, b] = node.args.map((arg) =>
    items(arg).flatMap((one) => {
      const values = check.values(one, type);
      const wrong = values.find((value) => value.type !== type);
      if (wrong)
        throw check.refuse(
          one,
          'FILTER_WRONG_TYPE',
          `${check.written(guide!)} is ${typeWords[type]}, but ${check.written(one)} is ${typeWords[wrong.type]}`,
        );
      return values;
    }),
  );
  if (a!.length * b!.length > maxPairs) {
    throw check.refuse(
      node,
      'FILTER_TOO_LONG',
      `Lists of ${a!.length} and ${b!.length} values are too long to compare.`,
    );
  }
  const isInDoubles = [...a!, ...b!].some(isDouble);
  return isInDoubles ? relations[node.op](a!.map(asDouble), b!.map(asDouble)) : relations[node.op](a!, b!);
}
