import type { TypedNode } from '../filter/index.ts';

const calculating = ['+', '-', '*', '/', '%', 'div'] as const;
type CalculationOperator = (typeof calculating)[number];

/**
 * How a column of an answer follows from others of the same row; it is missing where one of them is, and where something
 * is divided by nothing.
 */
export type Calculation =
  /** Another column, by its index. */
  | { readonly column: number; readonly mayBeMissing: boolean }
  /** A constant. */
  | { readonly value: number }
  | { readonly op: CalculationOperator; readonly args: readonly [Calculation, Calculation] };

/** A column of an answer with the expression behind it. */
interface Computed {
  readonly node: TypedNode;
}

/** Making a number a double changes neither its value nor what it stands for. */
const bare = (node: TypedNode): TypedNode =>
  node.kind === 'operation' && node.op === 'double' ? bare(node.args[0]!) : node;

/** One text for all expressions that say the same. */
function textOf(one: TypedNode): string {
  const node = bare(one);
  switch (node.kind) {
    case 'literal':
      return JSON.stringify([node.type, node.value]);
    case 'column':
      return JSON.stringify(node.column.name);
    case 'aggregate':
      return `${node.name}(${node.arg ? textOf(node.arg) : ''})`;
    case 'operation':
      return `(${[node.op, ...node.args.map(textOf)].join(' ')})`;
  }
}

const isCount = (node: TypedNode) => node.kind === 'aggregate' && ['count', 'count_distinct'].includes(node.name);
const isOperator = (op: string): op is CalculationOperator => calculating.some((one) => one === op);

/**
 * For each column, how it is calculated from the others; nothing for one that stands for itself, or that needs something
 * which no column shows. An expression is only ever said by smaller ones, so that no two columns wait for each other.
 */
export function calculationsOf(columns: readonly Computed[]): (Calculation | undefined)[] {
  const places = new Map<string, number>();
  columns.forEach(({ node }, i) => {
    const text = textOf(node);
    if (!places.has(text)) places.set(text, i);
  });
  const said = (one: TypedNode): Calculation | undefined => {
    const node = bare(one);
    const column = places.get(textOf(node));
    if (column !== undefined && node.type === 'number') return { column, mayBeMissing: !isCount(node) };
    if (node.kind !== 'literal') return calculated(node);
    const value = Number(node.value);
    return node.type === 'number' && Number.isFinite(value) ? { value } : undefined;
  };
  const calculated = (node: TypedNode): Calculation | undefined => {
    if (node.kind !== 'operation' || !isOperator(node.op)) return undefined;
    const { op } = node;
    const args = node.args.map(said).filter((arg) => arg !== undefined);
    if (args.length !== node.args.length) return undefined;
    return args.reduce((left, right): Calculation => ({ op, args: [left, right] }));
  };
  return columns.map(({ node }) => {
    const found = calculated(bare(node));
    return found && namesColumn(found) ? found : undefined;
  });
}

const namesColumn = (one: Calculation): boolean => 'column' in one || ('op' in one && one.args.some(namesColumn));
