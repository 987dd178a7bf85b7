import { readNumber } from '../dataset/index.ts';
import type { Refusal } from '../refusal/index.ts';
import { lex, type Token } from './lex.ts';
import { refuseAt } from './refuse.ts';
import {
  arrayOperators,
  comparisonOperators,
  isSpatialName,
  maxArithmeticLength,
  maxFilterDepth,
  temporalOperators,
  type ArithmeticOperator,
  type ComparisonOperator,
  type FilterNode,
  type Operator,
  type Span,
} from './tree.ts';

const comparisons: ReadonlySet<string> = new Set(comparisonOperators);
/** Operators that are written like functions, by their name in capitals. */
const functionOperators = new Map<string, Operator>(
  [...temporalOperators, ...arrayOperators, 'casei' as const, 'accenti' as const].map((op) => [op.toUpperCase(), op]),
);
const arrayFunctions: ReadonlySet<Operator> = new Set(arrayOperators);
const oneArgument: ReadonlySet<Operator> = new Set(['casei', 'accenti']);

/** Recursive descent without backtracking: every token is looked at a bounded number of times. */
class Parser {
  readonly #text: string;
  readonly #tokens: readonly Token[];
  #next = 0;
  #depth = 0;

  constructor(text: string) {
    this.#text = text;
    this.#tokens = lex(text);
  }

  parse(): FilterNode {
    if (this.#peek().kind === 'end') throw this.#refuse(this.#peek().span, 'The filter is empty.');
    const node = this.#or();
    const rest = this.#peek();
    if (rest.kind !== 'end')
      throw this.#refuse(rest.span, `“${rest.value}” is not expected here.`, this.#afterHint(rest));
    return node;
  }

  #peek(): Token {
    return this.#tokens[this.#next]!;
  }

  #is(kind: Token['kind'], value: string): boolean {
    const token = this.#peek();
    return token.kind === kind && token.value === value;
  }

  #take(kind: Token['kind'], value: string): boolean {
    if (!this.#is(kind, value)) return false;
    this.#next++;
    return true;
  }

  #expect(value: string, after: string): Token {
    const token = this.#peek();
    if ((token.kind === 'symbol' || token.kind === 'keyword') && token.value === value) {
      this.#next++;
      return token;
    }
    throw this.#refuse(token.span, `Expected “${value}” ${after}, found ${this.#found(token)}.`, undefined, value);
  }

  #found(token: Token): string {
    return token.kind === 'end' ? 'the end of the filter' : `“${this.#text.slice(token.span.start, token.span.end)}”`;
  }

  #refuse(span: Span, message: string, hint?: string, expected?: string): Refusal {
    return refuseAt(this.#text, span, { code: 'FILTER_SYNTAX', message, hint, expected });
  }

  #afterHint(token: Token): string | undefined {
    const before = this.#tokens[this.#next - 1];
    if (token.kind === 'name' && before?.kind === 'name') return "Put text in straight quotes: 'like this'";
    if (before?.kind === 'text' && this.#text[before.span.end - 2] === '\\')
      return "Double a quote inside a text: 'Skipper''s Quay'";
    if (token.value === ')') return 'A closing parenthesis has no opening one.';
    if (token.value === 'NULL') return 'Write column IS NULL.';
    return token.kind === 'name' || token.kind === 'text' || token.kind === 'number'
      ? 'Join conditions with AND or OR.'
      : undefined;
  }

  #deeper<T>(span: Span, inner: () => T): T {
    if (++this.#depth > maxFilterDepth) {
      throw refuseAt(this.#text, span, {
        code: 'FILTER_TOO_DEEP',
        message: `The filter is nested more than ${maxFilterDepth} levels deep.`,
      });
    }
    const result = inner();
    this.#depth--;
    return result;
  }

  #operation(op: Operator, args: FilterNode[]): FilterNode {
    return { kind: 'operation', op, args, span: { start: args[0]!.span.start, end: args.at(-1)!.span.end } };
  }

  /** `a OR b OR c` is one node with three arguments, so that long lists of conditions stay flat. */
  #chain(keyword: 'OR' | 'AND', operand: () => FilterNode): FilterNode {
    const args = [operand()];
    while (this.#take('keyword', keyword)) args.push(operand());
    return args.length === 1 ? args[0]! : this.#operation(keyword === 'OR' ? 'or' : 'and', args);
  }

  #or(): FilterNode {
    return this.#chain('OR', () => this.#chain('AND', () => this.#not()));
  }

  #not(): FilterNode {
    const token = this.#peek();
    if (!this.#take('keyword', 'NOT')) return this.#predicate();
    const arg = this.#deeper(token.span, () => this.#not());
    return { kind: 'operation', op: 'not', args: [arg], span: { start: token.span.start, end: arg.span.end } };
  }

  #predicate(): FilterNode {
    const left = this.#additive();
    const token = this.#peek();
    if (token.kind === 'symbol' && comparisons.has(token.value)) {
      this.#next++;
      if (this.#is('symbol', '=') && token.value === '=') {
        throw this.#refuse(this.#peek().span, '“==” is not an operator.', 'Use one = to compare values.');
      }
      const right = this.#additive();
      const more = this.#peek();
      if (more.kind === 'symbol' && comparisons.has(more.value)) {
        throw this.#refuse(more.span, 'Comparisons cannot be chained.', 'Use BETWEEN, or two conditions with AND.');
      }
      return this.#operation(token.value as ComparisonOperator, [left, right]);
    }
    if (this.#take('keyword', 'IS')) {
      const negated = this.#take('keyword', 'NOT');
      const end = this.#expect('NULL', 'after IS').span.end;
      const node: FilterNode = { kind: 'operation', op: 'isNull', args: [left], span: { start: left.span.start, end } };
      return negated ? { kind: 'operation', op: 'not', args: [node], span: node.span } : node;
    }
    const negated = this.#take('keyword', 'NOT');
    const node = this.#listed(left);
    if (node === undefined && negated) {
      throw this.#refuse(
        this.#peek().span,
        `Expected IN, BETWEEN or LIKE after NOT, found ${this.#found(this.#peek())}.`,
      );
    }
    if (node === undefined) return left;
    return negated ? { kind: 'operation', op: 'not', args: [node], span: node.span } : node;
  }

  #listed(left: FilterNode): FilterNode | undefined {
    if (this.#take('keyword', 'LIKE')) return this.#operation('like', [left, this.#additive()]);
    if (this.#take('keyword', 'BETWEEN')) {
      const low = this.#additive();
      this.#expect('AND', 'between the two bounds');
      return this.#operation('between', [left, low, this.#additive()]);
    }
    if (!this.#take('keyword', 'IN')) return undefined;
    this.#expect('(', 'after IN');
    const values = [this.#additive()];
    while (this.#take('symbol', ',')) values.push(this.#additive());
    const end = this.#expect(')', 'after the list').span.end;
    return { kind: 'operation', op: 'in', args: [left, ...values], span: { start: left.span.start, end } };
  }

  #binary(symbols: readonly string[], operand: () => FilterNode): FilterNode {
    let node = operand();
    for (let count = 0; ; count++) {
      const token = this.#peek();
      if ((token.kind !== 'symbol' && token.kind !== 'keyword') || !symbols.includes(token.value)) return node;
      // The tree leans left and is walked recursively later, so a chain counts as depth.
      if (count >= maxArithmeticLength) throw this.#refuse(token.span, 'The arithmetic is too long.');
      this.#next++;
      node = this.#operation(token.value.toLowerCase() as ArithmeticOperator, [node, operand()]);
    }
  }

  #additive(): FilterNode {
    return this.#binary(['+', '-'], () => this.#binary(['*', '/', '%', 'DIV'], () => this.#power()));
  }

  #power(): FilterNode {
    const base = this.#signed();
    return this.#take('symbol', '^') ? this.#operation('^', [base, this.#signed()]) : base;
  }

  #signed(): FilterNode {
    const token = this.#peek();
    if (!this.#take('symbol', '-')) {
      this.#take('symbol', '+');
      return this.#primary();
    }
    const arg = this.#deeper(token.span, () => this.#signed());
    const span = { start: token.span.start, end: arg.span.end };
    if (arg.kind === 'number') return { ...arg, value: negative(arg.value), span };
    return { kind: 'operation', op: '-', args: [{ kind: 'number', value: 0, span: token.span }, arg], span };
  }

  #primary(): FilterNode {
    const token = this.#peek();
    this.#next++;
    if (token.kind === 'text') return { kind: 'text', value: token.value, span: token.span };
    if (token.kind === 'number') return this.#number(token.value, token.span);
    if (token.kind === 'quotedName') return { kind: 'column', name: token.value, quoted: true, span: token.span };
    if (token.kind === 'name') return this.#named(token.value, token.span);
    if (token.kind === 'keyword' && (token.value === 'TRUE' || token.value === 'FALSE')) {
      return { kind: 'boolean', value: token.value === 'TRUE', span: token.span };
    }
    if (token.kind === 'symbol' && token.value === '(') {
      const inner = this.#deeper(token.span, () => this.#or());
      this.#expect(')', 'to close the parenthesis');
      return inner;
    }
    this.#next--;
    const hint = token.value === 'NULL' ? 'Write column IS NULL.' : undefined;
    throw this.#refuse(token.span, `Expected a column or a value, found ${this.#found(token)}.`, hint);
  }

  #number(digits: string, span: Span): FilterNode {
    const value = Number.isFinite(Number(digits)) ? readNumber(digits) : undefined;
    if (value === undefined) throw this.#refuse(span, `The number ${digits.slice(0, 40)} is too large.`);
    return { kind: 'number', value, span };
  }

  #named(name: string, span: Span): FilterNode {
    if (!this.#is('symbol', '(')) return { kind: 'column', name, quoted: false, span };
    if (isSpatialName(name)) {
      throw refuseAt(this.#text, span, {
        code: 'FILTER_NOT_SUPPORTED',
        message: `“${name}” is spatial: datasets have no geometry.`,
      });
    }
    this.#next++;
    const upper = name.toUpperCase();
    const operator = functionOperators.get(upper);
    const readArgument = () =>
      operator && arrayFunctions.has(operator) && this.#is('symbol', '(') ? this.#array() : this.#or();
    const args = this.#list(span, readArgument);
    const end = this.#expect(')', `to close “${name}(”`).span.end;
    const whole = { start: span.start, end };
    if (upper === 'DATE' || upper === 'TIMESTAMP') return this.#temporal(upper, args, whole);
    if (upper === 'INTERVAL') return this.#interval(args, whole);
    if (operator === undefined) return { kind: 'call', name, args, span: whole };
    const wanted = oneArgument.has(operator) ? 1 : 2;
    if (args.length !== wanted)
      throw this.#refuse(whole, `${upper} takes ${wanted === 1 ? 'one text' : 'two arguments'}, not ${args.length}.`);
    return { kind: 'operation', op: operator, args, span: whole };
  }

  /** Arguments or items up to the closing parenthesis, which stays. */
  #list(span: Span, read: () => FilterNode): FilterNode[] {
    if (this.#is('symbol', ')')) return [];
    const items = [this.#deeper(span, read)];
    while (this.#take('symbol', ',')) items.push(this.#deeper(span, read));
    return items;
  }

  #array(): FilterNode {
    const { span } = this.#peek();
    this.#next++;
    const items = this.#list(span, () => this.#additive());
    const end = this.#expect(')', 'to close the list').span.end;
    return { kind: 'array', items, span: { start: span.start, end } };
  }

  #temporal(name: 'DATE' | 'TIMESTAMP', args: readonly FilterNode[], span: Span): FilterNode {
    const [only] = args;
    if (args.length !== 1 || only?.kind !== 'text') {
      const example = name === 'DATE' ? "DATE('2026-10-01')" : "TIMESTAMP('2026-10-01T06:00:00Z')";
      throw this.#refuse(span, `${name} takes one text in quotes.`, `Write ${example}.`);
    }
    return { kind: name === 'DATE' ? 'date' : 'instant', value: only.value, span };
  }

  #interval(args: readonly FilterNode[], span: Span): FilterNode {
    if (args.length !== 2) {
      throw this.#refuse(span, 'INTERVAL takes a start and an end', "write INTERVAL('2026-10-01', '2026-10-31')");
    }
    const [from, to] = args.map(intervalBound);
    return { kind: 'interval', span, ...(from ? { from } : {}), ...(to ? { to } : {}) };
  }
}

/** A bound of an interval: `'..'` leaves the end open, a text is a date or an instant. */
export function intervalBound(node: FilterNode): FilterNode | undefined {
  if (node.kind !== 'text') return node;
  if (node.value === '..') return undefined;
  return { kind: node.value.includes('T') ? 'instant' : 'date', value: node.value, span: node.span };
}

function negative(value: number | string): number | string {
  if (typeof value === 'number') return 0 - value;
  return value.startsWith('-') ? value.slice(1) : `-${value}`;
}

/**
 * Parses CQL2 text.
 *
 * @param text - at most `maxFilterLength` UTF-16 units; white space and line breaks never matter
 * @returns a tree in which no name and no type has been looked at yet
 * @throws {Refusal} `FILTER_SYNTAX`, `FILTER_TOO_LONG`, `FILTER_TOO_DEEP`, `FILTER_NOT_SUPPORTED`, with the position
 * @see OGC 21-065r2, annex B
 */
export function parseFilter(text: string): FilterNode {
  return new Parser(text).parse();
}
