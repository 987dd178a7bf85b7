import { parseValue, valueTypeOf, type DatasetColumn, type Value, type ValueType } from '../dataset/index.ts';
import { isRefusal, suggest, type Refusal, type RefusalCode, type RefusalDetails } from '../refusal/index.ts';
import { checkArrays } from './arrays.ts';
import { mismatchHint, unknownColumnHint } from './hints.ts';
import { refuseAt } from './refuse.ts';
import { typeWords, valueFunctions, type Check, type FilterScope, type ValueFunction } from './scope.ts';
import { checkTemporal } from './temporal.ts';
import {
  arrayOperators,
  temporalOperators,
  type ArrayOperator,
  type FilterNode,
  type OperationNode,
  type TemporalOperator,
} from './tree.ts';
import { asDouble, conditionOf, isDouble, type AggregateName, type TypedNode, type TypedOperator } from './typed.ts';
import { writeFilter } from './write.ts';

const aggregates: readonly AggregateName[] = ['count', 'sum', 'avg', 'min', 'max', 'count_distinct'];
/** The language's own functions, for suggestions. */
const functionNames = [
  'CASEI',
  'ACCENTI',
  'DATE',
  'TIMESTAMP',
  'INTERVAL',
  ...temporalOperators,
  ...arrayOperators,
].map((name) => name.toUpperCase());
const maxExponent = 16;
/** A power is said as a product; nested ones may grow to so many factors. */
const maxFactors = 512;

class Checker implements Check {
  readonly scope: FilterScope;
  readonly #columns: Map<string, DatasetColumn>;
  #insideAggregate = false;
  /** The column that the piece at hand is compared with. */
  #beside: DatasetColumn | undefined;

  constructor(scope: FilterScope) {
    this.scope = scope;
    this.#columns = new Map(scope.dataset.columns.map((column) => [column.name, column]));
  }

  type(node: FilterNode, wanted?: ValueType): TypedNode {
    switch (node.kind) {
      case 'text':
      case 'number':
      case 'boolean':
        return { kind: 'literal', type: node.kind, value: node.value };
      case 'date':
      case 'instant':
        return this.#temporal(node, node.kind);
      case 'column':
        return this.#column(node);
      case 'call':
        return this.#call(node, wanted);
      case 'operation':
        return this.#operation(node);
      case 'interval':
        throw this.refuse(node, 'FILTER_WRONG_TYPE', 'An interval is allowed only in a time relation.', {
          hint: "write T_DURING(column, INTERVAL('2026-10-01', '2026-10-31'))",
        });
      case 'array':
        throw this.refuse(node, 'FILTER_WRONG_TYPE', 'A list is allowed only in IN or a list relation.', {
          hint: "Write column IN ('a', 'b')",
        });
    }
  }

  /** The expression as a condition. */
  condition(node: FilterNode): TypedNode {
    const typed = this.type(node, 'boolean');
    if (typed.type !== 'boolean') {
      const hint = typed.kind === 'column' ? `Compare it with a value, example: ${typed.column.name} = …` : undefined;
      throw this.refuse(node, 'FILTER_WRONG_TYPE', `Expected a condition, found ${typeWords[typed.type]}.`, {
        hint,
      });
    }
    return typed;
  }

  refuse(node: FilterNode, code: RefusalCode, message: string, details: RefusalDetails = {}): Refusal {
    return refuseAt(this.scope.text, node.span, { code, message, ...details });
  }

  #temporal(node: FilterNode & { value: string }, type: 'date' | 'instant'): TypedNode {
    return { kind: 'literal', type, value: this.#parse(node, node.value, type) };
  }

  #parse(node: FilterNode, text: string, type: ValueType, what?: string): Value {
    try {
      return parseValue(text, type, what);
    } catch (error) {
      if (!isRefusal(error)) throw error;
      throw this.refuse(node, error.code, error.message, error.details);
    }
  }

  #column(node: FilterNode & { kind: 'column' }): TypedNode {
    const column = this.#columns.get(node.name);
    if (column === undefined) {
      throw this.refuse(
        node,
        'FILTER_UNKNOWN_COLUMN',
        `Dataset “${this.scope.dataset.name}” has no column “${node.name}”.`,
        {
          word: node.name,
          ...unknownColumnHint(node, this.scope.dataset.columns, this.#beside),
        },
      );
    }
    return { kind: 'column', type: valueTypeOf(column.type), column };
  }

  #call(node: FilterNode & { kind: 'call' }, wanted: ValueType | undefined): TypedNode {
    const { name } = node;
    if (name === 'today' || name === 'now') return this.#clock(node, name);
    if ((valueFunctions as readonly string[]).includes(name)) {
      const values = this.#valueCall(node, name as ValueFunction, wanted ?? 'text');
      if (values.length === 1) return values[0]!;
      throw this.refuse(
        node,
        'FILTER_WRONG_TYPE',
        `“${this.written(node)}” has ${values.length} values where one is compared.`,
        {
          hint: `Write … IN (${this.written(node)}).`,
        },
      );
    }
    if (this.scope.allowsAggregates && (aggregates as readonly string[]).includes(name)) {
      return this.#aggregate(node, name as AggregateName);
    }
    const known = [
      'today',
      'now',
      ...valueFunctions,
      ...functionNames,
      ...(this.scope.allowsAggregates ? aggregates : []),
    ];
    throw this.refuse(node, 'FILTER_UNKNOWN_FUNCTION', `There is no function “${name}” here.`, {
      word: name,
      ...suggest(name, known),
    });
  }

  written(node: FilterNode): string {
    if (node.span.pointer !== undefined) return writeFilter(node);
    return this.scope.text.slice(node.span.start, node.span.end);
  }

  #clock(node: FilterNode & { kind: 'call' }, name: 'today' | 'now'): TypedNode {
    if (node.args.length > 0) throw this.refuse(node, 'FILTER_SYNTAX', `${name}() takes no arguments.`);
    const value = name === 'today' ? this.scope.today : this.scope.now;
    if (value === undefined) throw this.refuse(node, 'VALUE_UNBOUND', `${name}() has no value here.`);
    return { kind: 'literal', type: name === 'today' ? 'date' : 'instant', value, from: `${name}()` };
  }

  /** The values behind `person('quay')`, typed by what they are compared with. */
  #valueCall(node: FilterNode & { kind: 'call' }, source: ValueFunction, type: ValueType): TypedNode[] {
    const [only] = node.args;
    if (node.args.length !== 1 || only?.kind !== 'text') {
      throw this.refuse(node, 'FILTER_SYNTAX', `${source} takes one name in quotes.`, {
        hint: `Write ${source}('quay').`,
      });
    }
    if (this.scope.valuesOf === undefined) {
      throw this.refuse(node, 'FILTER_UNKNOWN_FUNCTION', `“${this.written(node)}” is not allowed here.`);
    }
    const raw = this.scope.valuesOf(source, only.value);
    if (raw === undefined || raw.length === 0) {
      throw this.refuse(node, 'VALUE_UNBOUND', `“${this.written(node)}” has no value.`, { word: only.value });
    }
    const from = `${source}('${only.value}')`;
    return raw.map((text) => ({ kind: 'literal', type, value: this.#parse(node, text, type, from), from }));
  }

  #aggregate(node: FilterNode & { kind: 'call' }, name: AggregateName): TypedNode {
    if (this.#insideAggregate) throw this.refuse(node, 'FILTER_WRONG_TYPE', 'An aggregate cannot contain another one.');
    const [first] = node.args;
    if (first === undefined && name === 'count') return { kind: 'aggregate', type: 'number', name };
    if (first === undefined || node.args.length > 1) {
      throw this.refuse(node, 'FILTER_SYNTAX', `${name} takes one expression.`, { hint: `Write ${name}(column).` });
    }
    this.#insideAggregate = true;
    const arg = this.type(first);
    this.#insideAggregate = false;
    const wantsNumber = name === 'sum' || name === 'avg';
    if (wantsNumber && arg.type !== 'number' && arg.type !== 'boolean') {
      throw this.refuse(
        first,
        'FILTER_WRONG_TYPE',
        `${name} needs a number or a condition, found ${typeWords[arg.type]}.`,
      );
    }
    if ((name === 'min' || name === 'max') && arg.type === 'boolean') {
      throw this.refuse(first, 'FILTER_WRONG_TYPE', `${name} cannot compare true and false.`);
    }
    const type = name === 'min' || name === 'max' ? arg.type : 'number';
    return { kind: 'aggregate', type, name, arg };
  }

  /** Every value behind a node, for places that take several. */
  values(node: FilterNode, wanted: ValueType): TypedNode[] {
    return this.isValueCall(node)
      ? this.#valueCall(node, node.name as ValueFunction, wanted)
      : [this.type(node, wanted)];
  }

  #operation(node: OperationNode): TypedNode {
    const { op, args } = node;
    if (isTemporal(node)) return checkTemporal(this, node);
    if (isArrays(node)) return checkArrays(this, node);
    switch (op) {
      case 'and':
      case 'or':
      case 'not':
        return conditionOf(op, ...args.map((arg) => this.condition(arg)));
      case 'isNull':
        return conditionOf(op, this.type(args[0]!));
      case 'like':
        return this.#like(node);
      case 'casei':
      case 'accenti':
        return { kind: 'operation', type: 'text', op, args: [this.#text(args[0]!, op.toUpperCase())] };
      case '^':
        return this.#power(node);
      case '+':
      case '-':
      case '*':
      case '/':
      case '%':
      case 'div':
        return this.#arithmetic(node, op);
      default:
        return this.#comparison(node, op as TypedOperator);
    }
  }

  #text(node: FilterNode, what: string): TypedNode {
    const typed = this.type(node, 'text');
    if (typed.type === 'text') return typed;
    throw this.refuse(node, 'FILTER_WRONG_TYPE', `${what} compares text, found ${typeWords[typed.type]}.`);
  }

  #number(node: FilterNode, op: string): TypedNode {
    const typed = this.type(node, 'number');
    if (typed.type === 'number') return typed;
    throw this.refuse(node, 'FILTER_WRONG_TYPE', `“${op}” needs numbers, found ${typeWords[typed.type]}.`);
  }

  #arithmetic(node: OperationNode, op: TypedOperator): TypedNode {
    const args = node.args.map((arg) => this.#number(arg, op));
    if ((op === '%' || op === 'div') && args.some(isDouble)) {
      throw this.refuse(node, 'FILTER_WRONG_TYPE', `“${op}” cannot follow a division: its result is not exact.`);
    }
    const isExact = op !== '/' && !args.some(isDouble);
    return { kind: 'operation', type: 'number', op, args: isExact ? args : args.map(asDouble) };
  }

  /** A power is said as a product, which both back ends compute alike. */
  #power(node: OperationNode): TypedNode {
    const base = this.#number(node.args[0]!, '^');
    const exponent = node.args[1]!;
    if (
      exponent.kind !== 'number' ||
      typeof exponent.value !== 'number' ||
      !Number.isInteger(exponent.value) ||
      exponent.value < 1 ||
      exponent.value > maxExponent
    ) {
      throw this.refuse(exponent, 'FILTER_WRONG_TYPE', `A power takes a whole number from 1 to ${maxExponent}.`);
    }
    if (sizeOf(base) * exponent.value > maxFactors)
      throw this.refuse(node, 'FILTER_TOO_LONG', 'The powers are too large.');
    return Array.from({ length: exponent.value }, () => base).reduce((product, factor) => ({
      kind: 'operation',
      type: 'number',
      op: '*',
      args: [product, factor],
    }));
  }

  #like(node: OperationNode): TypedNode {
    const left = this.#text(node.args[0]!, 'LIKE');
    const right = this.type(node.args[1]!, 'text');
    const pattern = patternOf(right);
    if (pattern === undefined) {
      throw this.refuse(node.args[1]!, 'FILTER_WRONG_TYPE', 'LIKE needs a pattern in quotes', {
        hint: "write LIKE 'North%'",
      });
    }
    if (/(^|[^\\])(\\\\)*\\$/.test(pattern)) {
      throw this.refuse(node.args[1]!, 'FILTER_SYNTAX', 'A pattern cannot end with a single backslash.');
    }
    return conditionOf('like', left, right);
  }

  isValueCall(node: FilterNode): node is FilterNode & { kind: 'call' } {
    return node.kind === 'call' && (valueFunctions as readonly string[]).includes(node.name);
  }

  #comparison(node: OperationNode, op: TypedOperator): TypedNode {
    const guide = node.args.find((arg) => !this.isValueCall(arg));
    const guided = guide === undefined ? undefined : this.type(guide);
    const type = guided?.type ?? 'text';
    const outer = this.#beside;
    this.#beside = guided?.kind === 'column' ? guided.column : undefined;
    const args = node.args.flatMap((arg, index): TypedNode[] => {
      if (arg === guide) return [guided!];
      const values = op === 'in' && index > 0 ? this.values(arg, type) : [this.type(arg, type)];
      const wrong = values.find((one) => one.type !== type);
      if (wrong) throw this.#mismatch(guide!, type, arg, wrong);
      return values;
    });
    this.#beside = outer;
    if (type === 'boolean' && op !== '=' && op !== '<>' && op !== 'in') {
      throw this.refuse(node, 'FILTER_WRONG_TYPE', `“${op}” cannot compare true and false.`);
    }
    // One double makes all of a comparison doubles, in both back ends alike.
    return conditionOf(op, ...(args.some(isDouble) ? args.map(asDouble) : args));
  }

  #mismatch(guide: FilterNode, type: ValueType, other: FilterNode, typed: TypedNode): Refusal {
    const written = this.written(other);
    const message = `${this.written(guide)} is ${typeWords[type]}, but ${written} is ${typeWords[typed.type]}`;
    return this.refuse(other, 'FILTER_WRONG_TYPE', message, { hint: mismatchHint(type, other, typed, written) });
  }
}

const temporal: ReadonlySet<string> = new Set(temporalOperators);
const arrays: ReadonlySet<string> = new Set(arrayOperators);
const isTemporal = (node: OperationNode): node is OperationNode & { op: TemporalOperator } => temporal.has(node.op);
const isArrays = (node: OperationNode): node is OperationNode & { op: ArrayOperator } => arrays.has(node.op);

function sizeOf(node: TypedNode): number {
  return node.kind === 'operation' ? node.args.reduce((sum, arg) => sum + sizeOf(arg), 0) : 1;
}

/** The pattern of a LIKE, through CASEI and ACCENTI. */
function patternOf(node: TypedNode): string | undefined {
  if (node.kind === 'literal' && node.type === 'text') return String(node.value);
  const folds = node.kind === 'operation' && (node.op === 'casei' || node.op === 'accenti');
  return folds ? patternOf(node.args[0]!) : undefined;
}

/**
 * Gives every name its column and every value its type.
 *
 * @returns a boolean expression
 * @throws {Refusal} `FILTER_UNKNOWN_COLUMN`, `FILTER_UNKNOWN_FUNCTION`, `FILTER_WRONG_TYPE`, `VALUE_INVALID`, `VALUE_UNBOUND`
 */
export function checkFilter(node: FilterNode, scope: FilterScope): TypedNode {
  return new Checker(scope).condition(node);
}

/**
 * Checks a measure: arithmetic over aggregates.
 *
 * @returns an expression of any type in which every column stands inside an aggregate
 * @throws {Refusal} as `checkFilter`
 */
export function checkMeasure(node: FilterNode, scope: FilterScope): TypedNode {
  const typed = new Checker({ ...scope, allowsAggregates: true }).type(node);
  const bare = bareColumn(typed);
  if (bare !== undefined) {
    throw refuseAt(scope.text, node.span, {
      code: 'FILTER_WRONG_TYPE',
      message: `Column “${bare}” is outside an aggregate.`,
      word: bare,
      hint: `Write sum(${bare}), avg(${bare}) or count().`,
    });
  }
  return typed;
}

function bareColumn(node: TypedNode): string | undefined {
  if (node.kind === 'column') return node.column.name;
  if (node.kind !== 'operation') return undefined;
  return node.args.map(bareColumn).find((name) => name !== undefined);
}
