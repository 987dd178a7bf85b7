import type { Value } from '../dataset/index.ts';
import type { TypedNode } from './typed.ts';

/** A cell in memory; `null` is missing. Same shapes as `Value`. */
export type Cell = Value | null;
/** Cells in the order that `columnIndex` gave. */
export type Row = readonly Cell[];
type Evaluate = (row: Row) => Cell;

/** Text by code point, as PostgreSQL's collation "C" does on UTF-8; JavaScript's own `<` goes by UTF-16 units. */
export function compareText(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    let x = a.charCodeAt(i);
    let y = b.charCodeAt(i);
    if (x === y) continue;
    // Surrogates stand for code points above U+FFFF, so they sort after everything else.
    if (x >= 0xd800 && x <= 0xdfff) x += 0x10000;
    if (y >= 0xd800 && y <= 0xdfff) y += 0x10000;
    return x - y;
  }
  return a.length - b.length;
}

function compare(a: Value, b: Value): number {
  if (typeof a === 'string') return compareText(a, b as string);
  return (a as number) - (b as number);
}

/** LIKE of SQL as a test: `%` any run, `_` one character, `\` makes the next one plain. Linear, without backtracking over `%`. */
function likeTest(pattern: string): (text: string) => boolean {
  const parts: (string | 'one' | 'any')[][] = [[]];
  const literal = (char: string) => parts.at(-1)!.push(`=${char}`);
  const chars = [...pattern];
  for (let i = 0; i < chars.length; i++) {
    if (chars[i] === '\\') literal(chars[++i]!);
    else if (chars[i] === '%') parts.push([]);
    else if (chars[i] === '_') parts.at(-1)!.push('one');
    else literal(chars[i]!);
  }
  return (text) => matchParts([...text], parts);
}

function matchesAt(text: readonly string[], at: number, part: readonly string[]): boolean {
  return at + part.length <= text.length && part.every((one, i) => one === 'one' || one === `=${text[at + i]}`);
}

function matchParts(text: readonly string[], parts: readonly (readonly string[])[]): boolean {
  const first = parts[0]!;
  if (!matchesAt(text, 0, first)) return false;
  if (parts.length === 1) return first.length === text.length;
  let at = first.length;
  for (const part of parts.slice(1, -1)) {
    while (at <= text.length - part.length && !matchesAt(text, at, part)) at++;
    if (!matchesAt(text, at, part)) return false;
    at += part.length;
  }
  const last = parts.at(-1)!;
  const tail = text.length - last.length;
  return tail >= at && matchesAt(text, tail, last);
}

type Compile = (node: TypedNode) => Evaluate;

const comparisonTests: Record<string, (order: number) => boolean> = {
  '=': (order) => order === 0,
  '<>': (order) => order !== 0,
  '<': (order) => order < 0,
  '<=': (order) => order <= 0,
  '>': (order) => order > 0,
  '>=': (order) => order >= 0,
};

const arithmetic: Record<string, (a: number, b: number) => number | null> = {
  '+': (a, b) => a + b,
  '-': (a, b) => a - b,
  '*': (a, b) => a * b,
  '/': (a, b) => (b === 0 ? null : a / b),
};

function operation(node: TypedNode & { kind: 'operation' }, compile: Compile): Evaluate {
  const args = node.args.map(compile);
  const [a, b] = args as [Evaluate, Evaluate];
  switch (node.op) {
    case 'and':
      return (row) => every(args, row, true);
    case 'or':
      return (row) => every(args, row, false);
    case 'not':
      return (row) => {
        const value = a(row);
        return value === null ? null : !value;
      };
    case 'isNull':
      return (row) => a(row) === null;
    case 'between': {
      const high = args[2]!;
      return (row) => both(atLeast(a(row), b(row)), atLeast(high(row), a(row)));
    }
    case 'like': {
      const pattern = node.args[1]!;
      const test = likeTest(pattern.kind === 'literal' ? String(pattern.value) : '');
      return (row) => {
        const value = a(row);
        return value === null ? null : test(value as string);
      };
    }
    case 'in':
      return isIn(node, args);
    case '+':
    case '-':
    case '*':
    case '/': {
      const apply = arithmetic[node.op]!;
      return (row) => {
        const [x, y] = [a(row), b(row)];
        return x === null || y === null ? null : apply(x as number, y as number);
      };
    }
    default: {
      const test = comparisonTests[node.op]!;
      return (row) => {
        const [x, y] = [a(row), b(row)];
        return x === null || y === null ? null : test(compare(x, y));
      };
    }
  }
}

/** AND (`wanted` true) or OR (`wanted` false) in three-valued logic: the opposite decides at once, missing spoils. */
function every(args: readonly Evaluate[], row: Row, wanted: boolean): Cell {
  let result: Cell = wanted;
  for (const arg of args) {
    const value = arg(row);
    if (value === !wanted) return !wanted;
    if (value === null) result = null;
  }
  return result;
}

function atLeast(value: Cell, bound: Cell): Cell {
  return value === null || bound === null ? null : compare(value, bound) >= 0;
}

function both(a: Cell, b: Cell): Cell {
  if (a === false || b === false) return false;
  return a === null || b === null ? null : true;
}

function isIn(node: TypedNode & { kind: 'operation' }, [item, ...others]: readonly Evaluate[]): Evaluate {
  const literals = node.args.slice(1);
  if (literals.every((one) => one.kind === 'literal')) {
    const known = new Set(literals.map((one) => one.value));
    return (row) => {
      const value = item!(row);
      return value === null ? null : known.has(value);
    };
  }
  return (row) => {
    const value = item!(row);
    if (value === null) return null;
    const equal = others.map((other): Evaluate => (one) => {
      const against = other(one);
      return against === null ? null : compare(value, against) === 0;
    });
    return every(equal, row, false);
  };
}

/**
 * Compiles a checked filter to a test of rows in memory. It shares nothing with the SQL compiler but the tree, so that
 * each proves the other.
 *
 * @param columnIndex - where in a row a column's cell stands
 * @returns true only where the condition holds; false and missing both keep the row out
 */
export function compilePredicate(node: TypedNode, columnIndex: (name: string) => number): (row: Row) => boolean {
  const compile: Compile = (one) => {
    switch (one.kind) {
      case 'literal': {
        const { value } = one;
        return () => value;
      }
      case 'column': {
        const index = columnIndex(one.column.name);
        return (row) => row[index] ?? null;
      }
      case 'aggregate':
        throw new TypeError('an aggregate has no meaning on a single row');
      case 'operation':
        return operation(one, compile);
    }
  };
  const evaluate = compile(node);
  return (row) => evaluate(row) === true;
}
