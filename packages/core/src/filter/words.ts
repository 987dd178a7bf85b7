import { columnLabel, formatValue } from '../dataset/index.ts';
import type { TypedNode } from './typed.ts';

const comparisonWords: Record<string, string> = {
  '=': 'is',
  '<>': 'is not',
  '<': 'is under',
  '<=': 'is at most',
  '>': 'is over',
  '>=': 'is at least',
};
const temporalWords: Record<string, string> = {
  '=': 'is',
  '<>': 'is not',
  '<': 'is before',
  '<=': 'is on or before',
  '>': 'is after',
  '>=': 'is on or after',
};
const negatedWords: Partial<Record<string, (args: string[]) => string>> = {
  isNull: ([a]) => `${a} is present`,
  in: ([a, ...rest]) => `${a} is not one of ${rest.join(', ')}`,
  like: ([a, b]) => `${a} does not match ${b}`,
  between: ([a, b, c]) => `${a} is not between ${b} and ${c}`,
};

function valueWords(node: TypedNode & { kind: 'literal' }): string {
  if (node.type === 'date') {
    return new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' }).format(
      new Date(`${String(node.value)}T00:00:00Z`),
    );
  }
  if (node.type === 'boolean') return node.value === true ? 'yes' : 'no';
  return formatValue(node.value, node.type);
}

/** What a checked filter means, for people: "quay is Q017 and sailed on is on or after 1 October 2026". */
export function explainInWords(node: TypedNode): string {
  return explain(node, false);
}

function explain(node: TypedNode, nested: boolean): string {
  switch (node.kind) {
    case 'literal':
      if (node.type === 'boolean' && !nested) return node.value === true ? 'every row' : 'no row';
      return valueWords(node);
    case 'column':
      return node.type === 'boolean' && !nested
        ? `${columnLabel(node.column)} is yes`
        : columnLabel(node.column).toLowerCase();
    case 'aggregate':
      return `${node.name.replace('_', ' ')} of ${node.arg ? explain(node.arg, true) : 'rows'}`;
    case 'operation':
      return operationWords(node, nested);
  }
}

function operationWords(node: TypedNode & { kind: 'operation' }, nested: boolean): string {
  const { op, args } = node;
  if (op === 'and' || op === 'or') {
    const text = args.map((arg) => explain(arg, arg.kind === 'operation')).join(` ${op} `);
    return nested ? `(${text})` : text;
  }
  const words = args.map((arg) => explain(arg, true));
  if (op === 'not') {
    const inner = args[0]!;
    const negated = inner.kind === 'operation' ? negatedWords[inner.op] : undefined;
    if (inner.kind === 'operation' && negated) return negated(inner.args.map((arg) => explain(arg, true)));
    return `not ${words[0]}`;
  }
  if (op === 'isNull') return `${words[0]} is missing`;
  if (op === 'in') return `${words[0]} is one of ${words.slice(1).join(', ')}`;
  if (op === 'like') return `${words[0]} matches ${words[1]}`;
  if (op === 'between') return `${words[0]} is between ${words[1]} and ${words[2]}`;
  if (op === '+' || op === '-' || op === '*' || op === '/') return `(${words[0]} ${op} ${words[1]})`;
  const isTemporal = args[0]!.type === 'date' || args[0]!.type === 'instant';
  return `${words[0]} ${(isTemporal ? temporalWords : comparisonWords)[op]} ${words[1]}`;
}
