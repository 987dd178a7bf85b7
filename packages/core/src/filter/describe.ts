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
  '=': 'on',
  '<>': 'not on',
  '<': 'before',
  '<=': 'on or before',
  '>': 'after',
  '>=': 'on or after',
};
const negatedWords: Partial<Record<string, (args: string[]) => string>> = {
  isNull: ([a]) => `${a} is present`,
  in: ([a, ...rest]) => `${a} ${rest.length === 1 ? 'is not' : 'is not one of'} ${rest.join(', ')}`,
  like: ([a, b]) => `${a} does not match ${b}`,
  between: ([a, b, c]) => `${a} is not between ${b} and ${c}`,
};

const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' });
const time = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', timeZone: 'UTC' });
const exactTime = new Intl.DateTimeFormat('en-GB', { timeStyle: 'medium', timeZone: 'UTC' });

function instantWords(value: number): string {
  const instant = new Date(value);
  return `${day.format(instant)} ${(value % 60_000 === 0 ? time : exactTime).format(instant)} UTC`;
}

function valueWords(node: TypedNode & { kind: 'literal' }): string {
  const { type, value } = node;
  if (value === Infinity || value === 'infinity') return 'ever';
  if (value === -Infinity || value === '-infinity') return 'always';
  if (type === 'date') return day.format(new Date(`${String(value)}T00:00:00Z`));
  if (type === 'instant') return instantWords(value as number);
  if (type === 'boolean') return value === true ? 'yes' : 'no';
  if (type === 'text') return value === '' ? '“”' : String(value);
  return formatValue(value, type);
}

/** What lies under CASEI and ACCENTI, and what that ignores. */
function folded(node: TypedNode): { node: TypedNode; ignores: Set<string> } {
  if (node.kind !== 'operation' || (node.op !== 'casei' && node.op !== 'accenti')) return { node, ignores: new Set() };
  const inner = folded(node.args[0]!);
  return { node: inner.node, ignores: inner.ignores.add(node.op === 'casei' ? 'capitals' : 'accents') };
}

/** "whatever its capitals and accents", for comparisons that ignore them. */
function ignoring(args: readonly TypedNode[]): string {
  const ignored = new Set(args.flatMap((arg) => [...folded(arg).ignores]));
  return ignored.size === 0 ? '' : ` (whatever its ${[...ignored].sort().reverse().join(' and ')})`;
}

/** What a checked filter means, for people: "quay is Q017 and sailed on or after 1 October 2026". */
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

/** "sailed on or after …" for a column whose label already ends so, else "departure is on or after …". */
function temporalComparison(op: string, left: string, right: string): string {
  const stem = /^(.+) on$/.exec(left)?.[1];
  if (stem === undefined && (op === '=' || op === '<>')) return `${left} ${comparisonWords[op]} ${right}`;
  return `${stem ?? `${left} is`} ${temporalWords[op]} ${right}`;
}

function operationWords(node: TypedNode & { kind: 'operation' }, nested: boolean): string {
  const { op, args } = node;
  if (op === 'and' || op === 'or') {
    const text = args.map((arg) => explain(arg, arg.kind === 'operation')).join(` ${op} `);
    return nested ? `(${text})` : text;
  }
  const words = args.map((arg) => explain(folded(arg).node, true));
  const note = ignoring(args);
  if (op === 'not') {
    const inner = args[0]!;
    const negated = inner.kind === 'operation' ? negatedWords[inner.op] : undefined;
    if (inner.kind === 'operation' && negated)
      return negated(inner.args.map((arg) => explain(folded(arg).node, true))) + ignoring(inner.args);
    return `not ${words[0]}`;
  }
  if (op === 'double') return words[0]!;
  if (op === 'isNull') return `${words[0]} is missing`;
  if (op === 'in') return `${words[0]} ${words.length === 2 ? 'is' : 'is one of'} ${words.slice(1).join(', ')}${note}`;
  if (op === 'like') return `${words[0]} matches ${words[1]}${note}`;
  if (op === 'between') return `${words[0]} is between ${words[1]} and ${words[2]}`;
  if (op === '+' || op === '-' || op === '*' || op === '/' || op === '%' || op === 'div')
    return `(${words[0]} ${op === 'div' ? 'divided whole by' : op} ${words[1]})`;
  const isTemporal = args[0]!.type === 'date' || args[0]!.type === 'instant';
  if (isTemporal) return temporalComparison(op, words[0]!, words[1]!);
  return `${words[0]} ${comparisonWords[op]} ${words[1]}${note}`;
}
