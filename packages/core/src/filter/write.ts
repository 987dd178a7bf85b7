import { keywords, bareName, type FilterNode, type OperationNode } from './tree.ts';

/** How tightly a piece holds together; an argument that holds less tightly than its place needs parentheses. */
const strength = { or: 1, and: 2, not: 3, predicate: 4, sum: 5, product: 6, power: 7, value: 8 } as const;

const infix: Partial<Record<string, { word: string; at: number; left: number; right: number }>> = {
  '+': { word: '+', at: strength.sum, left: strength.sum, right: strength.product },
  '-': { word: '-', at: strength.sum, left: strength.sum, right: strength.product },
  '*': { word: '*', at: strength.product, left: strength.product, right: strength.power },
  '/': { word: '/', at: strength.product, left: strength.product, right: strength.power },
  '%': { word: '%', at: strength.product, left: strength.product, right: strength.power },
  div: { word: 'DIV', at: strength.product, left: strength.product, right: strength.power },
  '^': { word: '^', at: strength.power, left: strength.value, right: strength.value },
};

const quoteText = (text: string) => `'${text.replaceAll("'", "''")}'`;

/** A column's name as it stands in a filter. */
export function quoteIfNeeded(name: string): string {
  return bareName.test(name) && !keywords.has(name.toUpperCase()) ? name : `"${name.replaceAll('"', '""')}"`;
}

function boundText(node: FilterNode | undefined): string {
  if (node === undefined) return "'..'";
  return node.kind === 'date' || node.kind === 'instant' ? quoteText(node.value) : writeFilter(node);
}

const list = (nodes: readonly FilterNode[]) => nodes.map((node) => written(node, strength.sum)).join(', ');

function writePart(node: FilterNode): { text: string; at: number } {
  const value = (text: string) => ({ text, at: strength.value });
  switch (node.kind) {
    case 'text':
      return value(quoteText(node.value));
    case 'number':
      return value(String(node.value));
    case 'boolean':
      return value(node.value ? 'TRUE' : 'FALSE');
    case 'date':
      return value(`DATE(${quoteText(node.value)})`);
    case 'instant':
      return value(`TIMESTAMP(${quoteText(node.value)})`);
    case 'interval':
      return value(`INTERVAL(${boundText(node.from)}, ${boundText(node.to)})`);
    case 'array':
      return value(`(${list(node.items)})`);
    case 'column':
      return value(quoteIfNeeded(node.name));
    case 'call':
      return value(`${node.name}(${node.args.map(writeFilter).join(', ')})`);
    case 'operation':
      return writeOperation(node);
  }
}

function writeOperation(node: OperationNode): { text: string; at: number } {
  const { op, args } = node;
  const [a, b, c] = args as [FilterNode, FilterNode, FilterNode];
  const predicate = (text: string) => ({ text, at: strength.predicate });
  const sum = (one: FilterNode) => written(one, strength.sum);
  const between = infix[op];
  if (between) {
    return { text: `${written(a, between.left)} ${between.word} ${written(b, between.right)}`, at: between.at };
  }
  switch (op) {
    case 'or':
    case 'and':
      return {
        text: args.map((arg) => written(arg, strength[op] + 1)).join(op === 'or' ? ' OR ' : ' AND '),
        at: strength[op],
      };
    case 'not':
      return { text: `NOT ${written(a, strength.not)}`, at: strength.not };
    case 'isNull':
      return predicate(`${sum(a)} IS NULL`);
    case 'like':
      return predicate(`${sum(a)} LIKE ${sum(b)}`);
    case 'between':
      return predicate(`${sum(a)} BETWEEN ${sum(b)} AND ${sum(c)}`);
    case 'in':
      return predicate(`${sum(a)} IN (${list(args.slice(1))})`);
    case '=':
    case '<>':
    case '<':
    case '<=':
    case '>':
    case '>=':
      return predicate(`${sum(a)} ${op} ${sum(b)}`);
    default:
      return { text: `${op.toUpperCase()}(${args.map(writeFilter).join(', ')})`, at: strength.value };
  }
}

function written(node: FilterNode, needed: number): string {
  const { text, at } = writePart(node);
  return at >= needed ? text : `(${text})`;
}

/** A tree as CQL2 text, with no more parentheses than it needs; reading it gives the same tree. */
export function writeFilter(node: FilterNode): string {
  return writePart(node).text;
}
