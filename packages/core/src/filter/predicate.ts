import {
  calculate,
  compareNumbers,
  type ExactNumber,
  type ExactOperator,
  type Value,
  type ValueType,
} from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import { foldCase, stripAccents } from './fold.ts';
import { likeTest } from './like.ts';
import { compareText } from './textOrder.ts';
import { isDouble, type TypedNode } from './typed.ts';

export { compareText } from './textOrder.ts';

/** A cell in memory; `null` is missing. Same shapes as `Value`. */
export type Cell = Value | null;
/** Cells in the order that `columnIndex` gave. */
export type Row = readonly (Cell | undefined)[];

type Operation = TypedNode & { kind: 'operation' };
type Evaluate = (row: Row) => Cell;
type Test = (row: Row) => boolean;

/**
 * The two questions about a condition in three-valued logic: does it hold, and is it false? Where a value is missing,
 * neither. Answering them apart keeps every test two-valued and quick, and NOT only swaps them.
 */
interface Truth {
  readonly holds: Test;
  readonly isFalse: Test;
}

const never: Test = () => false;
const always: Test = () => true;

const orders: Record<string, (order: number) => boolean> = {
  '=': (order) => order === 0,
  '<>': (order) => order !== 0,
  '<': (order) => order < 0,
  '<=': (order) => order <= 0,
  '>': (order) => order > 0,
  '>=': (order) => order >= 0,
};
const opposites: Record<string, string> = { '=': '<>', '<>': '=', '<': '>=', '<=': '>', '>': '<=', '>=': '<' };

function orderOf(type: ValueType): (a: Value, b: Value) => number {
  if (type === 'number') return (a, b) => compareNumbers(a as ExactNumber, b as ExactNumber);
  if (type === 'text' || type === 'date') return (a, b) => compareText(a as string, b as string);
  return (a, b) => Number(a) - Number(b) || (a === b ? 0 : a < b ? -1 : 1);
}

/** A column's number against a written one, without a detour while both are doubles. */
function numberTest(op: string, at: number, limit: number): Test {
  const slow = (cell: Cell | undefined) =>
    cell !== null && cell !== undefined && orders[op]!(compareNumbers(cell as ExactNumber, limit));
  // NaN stands above everything.
  switch (op) {
    case '=':
      return (row) => {
        const cell = row[at];
        return typeof cell === 'number' ? cell === limit : slow(cell);
      };
    case '<>':
      return (row) => {
        const cell = row[at];
        return typeof cell === 'number' ? cell !== limit : slow(cell);
      };
    case '<':
      return (row) => {
        const cell = row[at];
        return typeof cell === 'number' ? cell < limit : slow(cell);
      };
    case '<=':
      return (row) => {
        const cell = row[at];
        return typeof cell === 'number' ? cell <= limit : slow(cell);
      };
    case '>':
      return (row) => {
        const cell = row[at];
        return typeof cell === 'number' ? !(cell <= limit) : slow(cell);
      };
    default:
      return (row) => {
        const cell = row[at];
        return typeof cell === 'number' ? !(cell < limit) : slow(cell);
      };
  }
}

/** A column's text or date against a written one. Dates are ISO 8601 and order as their letters do. */
function wordTest(op: string, at: number, word: string, type: ValueType): Test {
  if (op === '=') return (row) => row[at] === word;
  if (op === '<>') {
    return (row) => {
      const cell = row[at];
      return cell !== word && cell !== null && cell !== undefined;
    };
  }
  if (type === 'date') {
    switch (op) {
      case '<':
        return (row) => {
          const cell = row[at];
          return typeof cell === 'string' && cell < word;
        };
      case '<=':
        return (row) => {
          const cell = row[at];
          return typeof cell === 'string' && cell <= word;
        };
      case '>':
        return (row) => {
          const cell = row[at];
          return typeof cell === 'string' && cell > word;
        };
      default:
        return (row) => {
          const cell = row[at];
          return typeof cell === 'string' && cell >= word;
        };
    }
  }
  const test = orders[op]!;
  return (row) => {
    const cell = row[at];
    return typeof cell === 'string' && test(compareText(cell, word));
  };
}

/** Several tests as one; pairs stay cheap to call. */
function all(tests: readonly Test[]): Test {
  const [a, b, c, d, ...rest] = tests;
  if (a === undefined) return always;
  if (b === undefined) return a;
  if (c === undefined) return (row) => a(row) && b(row);
  if (d === undefined) return (row) => a(row) && b(row) && c(row);
  if (rest.length === 0) return (row) => a(row) && b(row) && c(row) && d(row);
  const tail = all(rest);
  return (row) => a(row) && b(row) && c(row) && d(row) && tail(row);
}

function any(tests: readonly Test[]): Test {
  const [a, b, c, d, ...rest] = tests;
  if (a === undefined) return never;
  if (b === undefined) return a;
  if (c === undefined) return (row) => a(row) || b(row);
  if (d === undefined) return (row) => a(row) || b(row) || c(row);
  if (rest.length === 0) return (row) => a(row) || b(row) || c(row) || d(row);
  const tail = any(rest);
  return (row) => a(row) || b(row) || c(row) || d(row) || tail(row);
}

class Compiler {
  readonly #indexOf: (name: string) => number;

  constructor(indexOf: (name: string) => number) {
    this.#indexOf = indexOf;
  }

  truth(node: TypedNode): Truth {
    if (node.kind === 'literal')
      return node.value === true ? { holds: always, isFalse: never } : { holds: never, isFalse: always };
    if (node.kind === 'column') {
      const at = this.#indexOf(node.column.name);
      return { holds: (row) => row[at] === true, isFalse: (row) => row[at] === false };
    }
    if (node.kind === 'aggregate') throw new TypeError('An aggregate is not allowed for a single row.');
    return this.#operation(node);
  }

  #operation(node: Operation): Truth {
    switch (node.op) {
      case 'and': {
        const parts = node.args.map((arg) => this.truth(arg));
        return { holds: all(parts.map((one) => one.holds)), isFalse: any(parts.map((one) => one.isFalse)) };
      }
      case 'or': {
        const parts = node.args.map((arg) => this.truth(arg));
        return { holds: any(parts.map((one) => one.holds)), isFalse: all(parts.map((one) => one.isFalse)) };
      }
      case 'not': {
        const { holds, isFalse } = this.truth(node.args[0]!);
        return { holds: isFalse, isFalse: holds };
      }
      case 'isNull': {
        const value = this.value(node.args[0]!);
        return { holds: (row) => value(row) === null, isFalse: (row) => value(row) !== null };
      }
      case 'between': {
        const [item, low, high] = node.args as [TypedNode, TypedNode, TypedNode];
        return this.#operation({
          ...node,
          op: 'and',
          args: [
            { ...node, op: '>=', args: [item, low] },
            { ...node, op: '<=', args: [item, high] },
          ],
        });
      }
      case 'like':
        return this.#like(node);
      case 'in':
        return this.#in(node);
      default:
        return { holds: this.#comparison(node, node.op), isFalse: this.#comparison(node, opposites[node.op]!) };
    }
  }

  #comparison(node: Operation, op: string): Test {
    const [left, right] = node.args as [TypedNode, TypedNode];
    const { type } = left;
    if (left.kind === 'column' && right.kind === 'literal') {
      const at = this.#indexOf(left.column.name);
      const { value } = right;
      if ((type === 'number' || type === 'instant') && typeof value === 'number') return numberTest(op, at, value);
      if ((type === 'text' || type === 'date') && typeof value === 'string') return wordTest(op, at, value, type);
    }
    const [a, b] = [this.value(left), this.value(right)];
    const test = orders[op]!;
    const order = orderOf(type);
    return (row) => {
      const x = a(row);
      if (x === null) return false;
      const y = b(row);
      return y !== null && test(order(x, y));
    };
  }

  #like(node: Operation): Truth {
    const text = this.value(node.args[0]!);
    const test = likeTest(String(this.value(node.args[1]!)([])));
    return {
      holds: (row) => {
        const value = text(row);
        return value !== null && test(value as string);
      },
      isFalse: (row) => {
        const value = text(row);
        return value !== null && !test(value as string);
      },
    };
  }

  #in(node: Operation): Truth {
    const [item, ...values] = node.args as [TypedNode, ...TypedNode[]];
    if (!values.every((one) => one.kind === 'literal')) {
      const args = values.map((value): TypedNode => ({ ...node, op: '=', args: [item, value] }));
      return this.#operation({ ...node, op: 'or', args });
    }
    // Equal numbers have one form each, so that a set finds them.
    const known = new Set<unknown>(values.map((one) => one.value));
    const value = this.value(item);
    return {
      holds: (row) => known.has(value(row)),
      isFalse: (row) => {
        const cell = value(row);
        return cell !== null && !known.has(cell);
      },
    };
  }

  /** The node's value for a row. */
  value(node: TypedNode): Evaluate {
    if (node.kind === 'literal') {
      const { value } = node;
      return () => value;
    }
    if (node.kind === 'column') {
      const at = this.#indexOf(node.column.name);
      return (row) => row[at] ?? null;
    }
    if (node.kind === 'aggregate') throw new TypeError('An aggregate is not allowed for a single row.');
    if (node.type === 'boolean') {
      const { holds, isFalse } = this.truth(node);
      return (row) => (holds(row) ? true : isFalse(row) ? false : null);
    }
    return this.#calculation(node);
  }

  #calculation(node: Operation): Evaluate {
    const [a, b] = node.args.map((arg) => this.value(arg)) as [Evaluate, Evaluate];
    const present = (apply: (value: Value) => Cell): Evaluate => {
      return (row) => {
        const value = a(row);
        return value === null ? null : apply(value);
      };
    };
    if (node.op === 'casei') return present((text) => foldCase(text as string));
    if (node.op === 'accenti') return present((text) => stripAccents(text as string));
    if (node.op === 'double') return present((value) => toDouble(value as ExactNumber));
    const apply = isDouble(node) ? doubleCalculation(node.op) : exactCalculation(node.op as ExactOperator);
    return (row) => {
      const x = a(row);
      if (x === null) return null;
      const y = b(row);
      return y === null ? null : apply(x as ExactNumber, y as ExactNumber);
    };
  }
}

const exactCalculation = (op: ExactOperator) => (a: ExactNumber, b: ExactNumber) => calculate(op, a, b);

const outOfRange = () => new Refusal('VALUE_INVALID', 'A number in the filter or the data is out of range.');

function toDouble(value: ExactNumber): number {
  if (typeof value === 'number') return value;
  const double = Number(value);
  if (!Number.isFinite(double) || double === 0) throw outOfRange();
  return double;
}

/** IEEE 754 doubles, with PostgreSQL's refusal of results that leave their range. */
function doubleCalculation(op: string): (a: ExactNumber, b: ExactNumber) => number | null {
  return (left, right) => {
    const [a, b] = [left as number, right as number];
    if (op === '/' && b === 0) return null;
    const result = op === '+' ? a + b : op === '-' ? a - b : op === '*' ? a * b : a / b;
    const isOver = !Number.isFinite(result) && Number.isFinite(a) && Number.isFinite(b);
    const isUnder = result === 0 && a !== 0 && ((op === '*' && b !== 0) || (op === '/' && Number.isFinite(b)));
    if (isOver || isUnder) throw outOfRange();
    return result;
  };
}

/**
 * Compiles a checked filter to a test of rows in memory. It shares nothing with the SQL compiler but the tree, so that
 * each proves the other.
 *
 * @param columnIndex - where in a row a column's cell stands
 * @returns true only where the condition holds; false and missing both keep the row out
 * @throws {Refusal} while testing: `VALUE_INVALID` where a quotient leaves the range of doubles
 */
export function compilePredicate(node: TypedNode, columnIndex: (name: string) => number): (row: Row) => boolean {
  return new Compiler(columnIndex).truth(node).holds;
}
