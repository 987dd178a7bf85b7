import type { ValueType } from '../dataset/index.ts';
import { typeWords, type Check } from './scope.ts';
import type { FilterNode, OperationNode, TemporalOperator } from './tree.ts';
import { allOf, anyOf, conditionOf, type TypedNode } from './typed.ts';

/** The two ends of a span of time; of a date or an instant both are the same. */
interface TimeSpan {
  readonly from: TypedNode;
  readonly to: TypedNode;
}

type Relation = (a: TimeSpan, b: TimeSpan) => TypedNode;
const is = conditionOf;

/** Each relation as comparisons of ends. @see OGC 21-065r2, table 11; Allen's interval algebra */
const relations: Record<TemporalOperator, Relation> = {
  t_after: (a, b) => is('>', a.from, b.to),
  t_before: (a, b) => is('<', a.to, b.from),
  t_contains: (a, b) => allOf([is('<', a.from, b.from), is('>', a.to, b.to)]),
  t_disjoint: (a, b) => anyOf([is('<', a.to, b.from), is('>', a.from, b.to)]),
  t_during: (a, b) => allOf([is('>', a.from, b.from), is('<', a.to, b.to)]),
  t_equals: (a, b) => allOf([is('=', a.from, b.from), is('=', a.to, b.to)]),
  t_finishedBy: (a, b) => allOf([is('<', a.from, b.from), is('=', a.to, b.to)]),
  t_finishes: (a, b) => allOf([is('>', a.from, b.from), is('=', a.to, b.to)]),
  t_intersects: (a, b) => allOf([is('>=', a.to, b.from), is('<=', a.from, b.to)]),
  t_meets: (a, b) => is('=', a.to, b.from),
  t_metBy: (a, b) => is('=', a.from, b.to),
  t_overlappedBy: (a, b) => allOf([is('>', a.from, b.from), is('<', a.from, b.to), is('>', a.to, b.to)]),
  t_overlaps: (a, b) => allOf([is('<', a.from, b.from), is('>', a.to, b.from), is('<', a.to, b.to)]),
  t_startedBy: (a, b) => allOf([is('=', a.from, b.from), is('>', a.to, b.to)]),
  t_starts: (a, b) => allOf([is('=', a.from, b.from), is('<', a.to, b.to)]),
};

/** An end left open is before or after everything. */
function openEnd(type: ValueType, isStart: boolean): TypedNode {
  if (type === 'date') return { kind: 'literal', type, value: isStart ? '-infinity' : 'infinity' };
  return { kind: 'literal', type: 'instant', value: isStart ? -Infinity : Infinity };
}

const isTemporal = (type: ValueType) => type === 'date' || type === 'instant';

/** The ends of a node that are written out, without those that are open. */
function ends(node: FilterNode): FilterNode[] {
  if (node.kind !== 'interval') return [node];
  return [node.from, node.to].filter((one) => one !== undefined);
}

/**
 * Checks a relation of two spans of time and says it with comparisons of their ends.
 *
 * @throws {Refusal} `FILTER_WRONG_TYPE` where something is no date or instant, or dates meet instants
 */
export function checkTemporal(check: Check, node: OperationNode & { op: TemporalOperator }): TypedNode {
  const written = node.args.flatMap(ends);
  const guide = written.find((one) => !check.isValueCall(one));
  const type = guide === undefined ? 'date' : check.type(guide).type;
  const typed = new Map<FilterNode, TypedNode>();
  for (const one of written) {
    const made = check.type(one, type);
    if (!isTemporal(made.type)) {
      throw check.refuse(
        one,
        'FILTER_WRONG_TYPE',
        `${node.op.toUpperCase()} relates dates or instants, found ${typeWords[made.type]}.`,
        {
          hint: one.kind === 'text' ? `write DATE('${one.value}')` : undefined,
        },
      );
    }
    if (made.type !== type) {
      throw check.refuse(
        one,
        'FILTER_WRONG_TYPE',
        `${check.written(guide!)} is ${typeWords[type]}, but ${check.written(one)} is ${typeWords[made.type]}`,
        {
          hint:
            type === 'instant'
              ? "Write timestamps with their time: '2026-10-01T00:00:00Z'"
              : "Write days only: '2026-10-01'",
        },
      );
    }
    typed.set(one, made);
  }
  const [a, b] = node.args.map((arg): TimeSpan => {
    if (arg.kind !== 'interval') return { from: typed.get(arg)!, to: typed.get(arg)! };
    return {
      from: arg.from ? typed.get(arg.from)! : openEnd(type, true),
      to: arg.to ? typed.get(arg.to)! : openEnd(type, false),
    };
  });
  refuseBackward(check, node, [a!, b!]);
  return relations[node.op](a!, b!);
}

/** An interval that ends before it starts is a mistake, never an empty answer. */
function refuseBackward(check: Check, node: OperationNode, spans: readonly TimeSpan[]): void {
  spans.forEach(({ from, to }, i) => {
    if (from.kind === 'literal' && to.kind === 'literal' && from.value > to.value) {
      throw check.refuse(node.args[i]!, 'VALUE_INVALID', 'The interval ends before it starts.');
    }
  });
}
