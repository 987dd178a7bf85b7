import { readNumber } from '../dataset/index.ts';
import { Refusal, suggest } from '../refusal/index.ts';
import { intervalBound, parseFilter } from './parse.ts';
import {
  arithmeticOperators,
  arrayOperators,
  comparisonOperators,
  isSpatialName,
  maxFilterDepth,
  maxFilterLength,
  bareName,
  temporalOperators,
  type FilterNode,
  type Operator,
  type Span,
} from './tree.ts';
import { writeFilter } from './write.ts';

/** CQL2 JSON. @see OGC 21-065r2, annex A (the JSON schema `cql2.json`) */
export type FilterJson =
  | string
  | number
  | boolean
  | { readonly op: string; readonly args: readonly (FilterJson | readonly FilterJson[])[] }
  | { readonly property: string }
  | { readonly date: string }
  | { readonly timestamp: string }
  | { readonly interval: readonly FilterJson[] };

/** How many arguments an operator takes: exactly, or at least. */
const argumentCounts = new Map<Operator, { exactly?: number; atLeast?: number }>([
  ...[...comparisonOperators, ...arithmeticOperators, ...temporalOperators, ...arrayOperators].map(
    (op) => [op, { exactly: 2 }] as const,
  ),
  ['and', { atLeast: 2 }],
  ['or', { atLeast: 2 }],
  ['not', { exactly: 1 }],
  ['isNull', { exactly: 1 }],
  ['like', { exactly: 2 }],
  ['between', { exactly: 3 }],
  ['in', { exactly: 2 }],
  ['casei', { exactly: 1 }],
  ['accenti', { exactly: 1 }],
]);
const operators = [...argumentCounts.keys()];
const arrayFunctions: ReadonlySet<string> = new Set(arrayOperators);

function refuse(
  message: string,
  span: Span,
  details: object = {},
  code: 'FILTER_SYNTAX' | 'FILTER_NOT_SUPPORTED' = 'FILTER_SYNTAX',
) {
  return new Refusal(code, message, { pointer: span.pointer, ...details });
}

/** Numbers of JSON are doubles on their way; what a double cannot tell apart is not guessed at. */
function isExactInJson(value: number | string): boolean {
  return (
    typeof value === 'number' &&
    (Number.isSafeInteger(value) || (Number.isFinite(value) && readNumber(String(value)) === value))
  );
}

function readText(value: unknown, span: Span, what: string): string {
  if (typeof value !== 'string') throw refuse(`${what} is a text`, span);
  if (value.includes('\0') || !value.isWellFormed())
    throw refuse('A text cannot contain U+0000 or half of a Unicode character.', span);
  return value;
}

const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

class JsonReader {
  read(value: unknown, pointer: string, depth: number): FilterNode {
    const span: Span = { start: 0, end: 0, pointer };
    if (depth > maxFilterDepth * 4) {
      throw new Refusal('FILTER_TOO_DEEP', 'The filter is nested too deeply.', { pointer });
    }
    if (typeof value === 'boolean') return { kind: 'boolean', value, span };
    if (typeof value === 'string') return { kind: 'text', value: readText(value, span, 'a text'), span };
    if (typeof value === 'number') {
      if (!isExactInJson(value))
        throw refuse(`${value} has more digits than a JSON number can hold.`, span, {
          hint: 'Send the filter as CQL2 text.',
        });
      return { kind: 'number', value: value + 0, span };
    }
    if (Array.isArray(value)) throw refuse('A list is allowed only where an operator takes one.', span);
    if (!isObject(value)) throw refuse('A filter has objects, texts, numbers, true and false only.', span);
    return this.#object(value, span, depth);
  }

  #only(value: Record<string, unknown>, allowed: readonly string[], span: Span): void {
    const extra = Object.keys(value).find((name) => !allowed.includes(name));
    if (extra !== undefined)
      throw refuse(`“${extra}” is not expected here.`, span, { word: extra, ...suggest(extra, allowed) });
  }

  #object(value: Record<string, unknown>, span: Span, depth: number): FilterNode {
    const { pointer } = span;
    const inside = (name: string): Span => ({ ...span, pointer: `${pointer}/${name}` });
    if ('property' in value) {
      this.#only(value, ['property'], span);
      return { kind: 'column', name: readText(value['property'], inside('property'), 'a column'), quoted: true, span };
    }
    if ('date' in value || 'timestamp' in value) {
      const name = 'date' in value ? 'date' : 'timestamp';
      this.#only(value, [name], span);
      const text = readText(value[name], inside(name), `a ${name}`);
      return { kind: name === 'date' ? 'date' : 'instant', value: text, span };
    }
    if ('interval' in value) return this.#interval(value, span, depth);
    if ('bbox' in value || 'coordinates' in value || 'geometries' in value) {
      throw refuse('this is spatial; figures have no places on the map to compare', span, {}, 'FILTER_NOT_SUPPORTED');
    }
    this.#only(value, ['op', 'args'], span);
    const op = readText(value['op'], inside('op'), '“op”');
    const { args } = value;
    if (!Array.isArray(args)) throw refuse('“args” must be a list.', inside('args'));
    return this.#operation(op, args, span, depth);
  }

  #interval(value: Record<string, unknown>, span: Span, depth: number): FilterNode {
    this.#only(value, ['interval'], span);
    const bounds = value['interval'];
    if (!Array.isArray(bounds) || bounds.length !== 2)
      throw refuse('“interval” must be a list of a start and an end.', span);
    const [from, to] = bounds.map((one, i) =>
      intervalBound(this.read(one, `${span.pointer}/interval/${i}`, depth + 1)),
    );
    return { kind: 'interval', span, ...(from ? { from } : {}), ...(to ? { to } : {}) };
  }

  #array(value: unknown, pointer: string, depth: number): FilterNode {
    if (!Array.isArray(value)) return this.read(value, pointer, depth);
    const items = value.map((one, i) => this.read(one, `${pointer}/${i}`, depth + 1));
    return { kind: 'array', items, span: { start: 0, end: 0, pointer } };
  }

  #operation(op: string, args: readonly unknown[], span: Span, depth: number): FilterNode {
    if (isSpatialName(op)) {
      const message = `“${op}” is spatial: datasets have no geometry.`;
      throw refuse(message, span, { word: op }, 'FILTER_NOT_SUPPORTED');
    }
    const read = (one: unknown, i: number) => this.read(one, `${span.pointer}/args/${i}`, depth + 1);
    const count = argumentCounts.get(op as Operator);
    if (count === undefined) {
      const meant = operators.find((one) => one.toLowerCase() === op.toLowerCase());
      if (meant !== undefined || !bareName.test(op))
        throw refuse(`There is no operator “${op}”.`, span, { word: op, ...suggest(op, meant ? [meant] : operators) });
      return { kind: 'call', name: op, args: args.map(read), span };
    }
    if (
      (count.exactly !== undefined && args.length !== count.exactly) ||
      (count.atLeast !== undefined && args.length < count.atLeast)
    ) {
      throw refuse(`“${op}” takes ${count.exactly ?? `${count.atLeast} or more`} arguments, not ${args.length}.`, span);
    }
    if (op === 'in') {
      const list = this.#array(args[1], `${span.pointer}/args/1`, depth + 1);
      if (list.kind !== 'array' || list.items.length === 0)
        throw refuse('“in” needs a list of values.', { ...span, pointer: `${span.pointer}/args/1` });
      return { kind: 'operation', op, args: [read(args[0], 0), ...list.items], span };
    }
    const readOne = arrayFunctions.has(op)
      ? (one: unknown, i: number) => this.#array(one, `${span.pointer}/args/${i}`, depth + 1)
      : read;
    return { kind: 'operation', op: op as Operator, args: args.map(readOne), span };
  }
}

/**
 * Reads CQL2 JSON.
 *
 * @param value - the parsed JSON
 * @returns a tree in which no name and no type has been looked at yet; its places are JSON Pointers
 * @throws {Refusal} `FILTER_SYNTAX`, `FILTER_TOO_DEEP`, `FILTER_TOO_LONG`, `FILTER_NOT_SUPPORTED`
 * @see OGC 21-065r2, annex A
 */
export function readFilterJson(value: unknown): FilterNode {
  const node = new JsonReader().read(value, '', 0);
  // The text is what is kept and bound by the limits of texts: both forms allow exactly the same filters.
  const text = writeFilter(node);
  if (text.length > maxFilterLength)
    throw new Refusal(
      'FILTER_TOO_LONG',
      `The filter has ${text.length} characters; at most ${maxFilterLength} are allowed.`,
      {
        pointer: '',
      },
    );
  parseFilter(text);
  return node;
}

/**
 * A tree as CQL2 JSON; reading it gives the same tree.
 *
 * @throws {Refusal} `FILTER_NOT_SUPPORTED` for a number with more digits than JSON carries
 */
export function toFilterJson(node: FilterNode): FilterJson {
  switch (node.kind) {
    case 'text':
    case 'boolean':
      return node.value;
    case 'number':
      if (isExactInJson(node.value)) return node.value as number;
      throw new Refusal('FILTER_NOT_SUPPORTED', `${node.value} has more digits than a JSON number can hold.`, {
        hint: 'Write the filter as CQL2 text.',
      });
    case 'date':
      return { date: node.value };
    case 'instant':
      return { timestamp: node.value };
    case 'interval':
      return { interval: [node.from, node.to].map(boundJson) };
    case 'array':
      return node.items.map(toFilterJson) as never;
    case 'column':
      return { property: node.name };
    case 'call':
      return { op: node.name, args: node.args.map(toFilterJson) };
    case 'operation': {
      const args = node.args.map(toFilterJson);
      return { op: node.op, args: node.op === 'in' ? [args[0]!, args.slice(1)] : args };
    }
  }
}

function boundJson(node: FilterNode | undefined): FilterJson {
  if (node === undefined) return '..';
  return node.kind === 'date' || node.kind === 'instant' ? node.value : toFilterJson(node);
}

/** A filter as people and programs send it: CQL2 text, or CQL2 JSON as a value or as a text that starts with `{`. */
export function readFilter(source: unknown): FilterNode {
  if (typeof source !== 'string') return readFilterJson(source);
  if (!source.trimStart().startsWith('{')) return parseFilter(source);
  try {
    return readFilterJson(JSON.parse(source));
  } catch (cause) {
    if (!(cause instanceof SyntaxError)) throw cause;
    throw new Refusal(
      'FILTER_SYNTAX',
      'The filter is not valid JSON.',
      { word: source.slice(0, 60), hint: 'For CQL2 text, remove the braces.' },
      { cause },
    );
  }
}

/**
 * The text under which a filter is kept: text as it was written, JSON as CQL2 text.
 *
 * @throws {Refusal} as `readFilter`, for JSON; a text is looked at where it is checked
 */
export function toFilterText(source: unknown): string {
  if (typeof source === 'string' && !source.trimStart().startsWith('{')) return source;
  return writeFilter(readFilter(source));
}
