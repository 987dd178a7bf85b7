import {
  parseValue,
  valueTypeOf,
  type DatasetColumn,
  type DatasetShape,
  type Value,
  type ValueType,
} from '../dataset/index.ts';
import type { Refusal } from '../refusal/index.ts';
import { isRefusal, suggest, type RefusalCode, type RefusalDetails } from '../refusal/index.ts';
import { refuseAt } from './refuse.ts';
import type { FilterNode, Operator } from './tree.ts';
import type { AggregateName, TypedNode } from './typed.ts';

/** The functions through which our own values come in. */
export type ValueFunction = 'person' | 'recipient' | 'record' | 'param';
export const valueFunctions: readonly ValueFunction[] = ['person', 'recipient', 'record', 'param'];
const aggregates: readonly AggregateName[] = ['count', 'sum', 'avg', 'min', 'max', 'count_distinct'];

/** Everything an expression may name. */
export interface FilterScope {
  readonly dataset: DatasetShape;
  /** The expression as written, for positions. */
  readonly text: string;
  /**
   * The raw values behind `person('quay')` and its like, to be parsed by the type they are compared with;
   * undefined when there is none, which refuses with `VALUE_UNBOUND`. Leave out where such functions may not stand.
   */
  readonly valuesOf?: (source: ValueFunction, name: string) => readonly string[] | undefined;
  /** `YYYY-MM-DD` in the reader's time zone. */
  readonly today?: string;
  /** Milliseconds since 1970-01-01T00:00:00Z. */
  readonly now?: number;
  /** Measures may aggregate; filters may not. */
  readonly allowsAggregates?: boolean;
}

const typeWords: Record<ValueType, string> = {
  text: 'text',
  number: 'a number',
  boolean: 'true or false',
  date: 'a date',
  instant: 'an instant',
};

class Checker {
  readonly #scope: FilterScope;
  readonly #columns: Map<string, DatasetColumn>;
  #insideAggregate = false;

  constructor(scope: FilterScope) {
    this.#scope = scope;
    this.#columns = new Map(scope.dataset.columns.map((column) => [column.name, column]));
  }

  check(node: FilterNode, wanted?: ValueType): TypedNode {
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
        return this.#operation(node, node.op);
    }
  }

  /** The expression as a condition. */
  condition(node: FilterNode): TypedNode {
    const typed = this.check(node, 'boolean');
    if (typed.type !== 'boolean') {
      const hint =
        typed.kind === 'column' ? `compare it with something, for example \`${typed.column.name} = …\`` : undefined;
      throw this.#refuse(node, 'FILTER_WRONG_TYPE', `a condition was expected, this is ${typeWords[typed.type]}`, {
        hint,
      });
    }
    return typed;
  }

  #refuse(node: FilterNode, code: RefusalCode, message: string, details: RefusalDetails = {}): Refusal {
    return refuseAt(this.#scope.text, node.span, { code, message, ...details });
  }

  #temporal(node: FilterNode & { value: string }, type: 'date' | 'instant'): TypedNode {
    return { kind: 'literal', type, value: this.#parse(node, node.value, type) };
  }

  #parse(node: FilterNode, text: string, type: ValueType, what?: string): Value {
    try {
      return parseValue(text, type, what);
    } catch (error) {
      if (!isRefusal(error)) throw error;
      throw this.#refuse(node, error.code, error.message, error.details);
    }
  }

  #column(node: FilterNode & { kind: 'column' }): TypedNode {
    const column = this.#columns.get(node.name);
    if (column === undefined) {
      const details = suggest(node.name, this.#columns.keys());
      const looksLikeText = node.quoted && details.nearest === undefined;
      throw this.#refuse(
        node,
        'FILTER_UNKNOWN_COLUMN',
        `no column \`${node.name}\` in \`${this.#scope.dataset.name}\``,
        {
          word: node.name,
          ...details,
          ...(looksLikeText
            ? { hint: `double quotes name a column; text stands between single quotes: '${node.name}'` }
            : {}),
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
      throw this.#refuse(
        node,
        'FILTER_WRONG_TYPE',
        `\`${this.#written(node)}\` holds ${values.length} values where one is compared`,
        {
          hint: `write \`… IN (${this.#written(node)})\``,
        },
      );
    }
    if (this.#scope.allowsAggregates && (aggregates as readonly string[]).includes(name)) {
      return this.#aggregate(node, name as AggregateName);
    }
    const known = ['today', 'now', ...valueFunctions, ...(this.#scope.allowsAggregates ? aggregates : [])];
    throw this.#refuse(node, 'FILTER_UNKNOWN_FUNCTION', `no function \`${name}\` here`, {
      word: name,
      ...suggest(name, known),
    });
  }

  #written(node: FilterNode): string {
    return this.#scope.text.slice(node.span.start, node.span.end);
  }

  #clock(node: FilterNode & { kind: 'call' }, name: 'today' | 'now'): TypedNode {
    if (node.args.length > 0)
      throw this.#refuse(node, 'FILTER_SYNTAX', `${name}() takes nothing between its parentheses`);
    const value = name === 'today' ? this.#scope.today : this.#scope.now;
    if (value === undefined) throw this.#refuse(node, 'VALUE_UNBOUND', `${name}() has no value here`);
    return { kind: 'literal', type: name === 'today' ? 'date' : 'instant', value, from: `${name}()` };
  }

  /** The values behind `person('quay')`, typed by what they are compared with. */
  #valueCall(node: FilterNode & { kind: 'call' }, source: ValueFunction, type: ValueType): TypedNode[] {
    const [only] = node.args;
    if (node.args.length !== 1 || only?.kind !== 'text') {
      throw this.#refuse(node, 'FILTER_SYNTAX', `${source} takes one name in quotes`, {
        hint: `write ${source}('quay')`,
      });
    }
    if (this.#scope.valuesOf === undefined) {
      throw this.#refuse(node, 'FILTER_UNKNOWN_FUNCTION', `\`${this.#written(node)}\` has no meaning here`);
    }
    const raw = this.#scope.valuesOf(source, only.value);
    if (raw === undefined || raw.length === 0) {
      throw this.#refuse(node, 'VALUE_UNBOUND', `\`${this.#written(node)}\` has no value`, { word: only.value });
    }
    const from = `${source}('${only.value}')`;
    return raw.map((text) => ({ kind: 'literal', type, value: this.#parse(node, text, type, from), from }));
  }

  #aggregate(node: FilterNode & { kind: 'call' }, name: AggregateName): TypedNode {
    if (this.#insideAggregate)
      throw this.#refuse(node, 'FILTER_WRONG_TYPE', 'an aggregate cannot stand inside another one');
    const [first] = node.args;
    if (first === undefined && name === 'count') return { kind: 'aggregate', type: 'number', name };
    if (first === undefined || node.args.length > 1) {
      throw this.#refuse(node, 'FILTER_SYNTAX', `${name} takes one expression`, { hint: `write ${name}(column)` });
    }
    this.#insideAggregate = true;
    const arg = this.check(first);
    this.#insideAggregate = false;
    const wantsNumber = name === 'sum' || name === 'avg';
    if (wantsNumber && arg.type !== 'number' && arg.type !== 'boolean') {
      throw this.#refuse(
        first,
        'FILTER_WRONG_TYPE',
        `${name} needs a number or a condition, this is ${typeWords[arg.type]}`,
      );
    }
    if ((name === 'min' || name === 'max') && arg.type === 'boolean') {
      throw this.#refuse(first, 'FILTER_WRONG_TYPE', `${name} cannot order true and false`);
    }
    const type = name === 'min' || name === 'max' ? arg.type : 'number';
    return { kind: 'aggregate', type, name, arg };
  }

  #operation(node: FilterNode & { kind: 'operation' }, op: Operator): TypedNode {
    if (op === 'and' || op === 'or' || op === 'not') {
      return { kind: 'operation', type: 'boolean', op, args: node.args.map((arg) => this.condition(arg)) };
    }
    if (op === '+' || op === '-' || op === '*' || op === '/') return this.#arithmetic(node, op);
    if (op === 'isNull') return { kind: 'operation', type: 'boolean', op, args: [this.check(node.args[0]!)] };
    if (op === 'like') return this.#like(node);
    return this.#comparison(node, op);
  }

  #arithmetic(node: FilterNode & { kind: 'operation' }, op: Operator): TypedNode {
    const args = node.args.map((arg) => this.check(arg, 'number'));
    const bad = args.findIndex((arg) => arg.type !== 'number');
    if (bad >= 0) {
      throw this.#refuse(
        node.args[bad]!,
        'FILTER_WRONG_TYPE',
        `\`${op}\` needs numbers, this is ${typeWords[args[bad]!.type]}`,
      );
    }
    return { kind: 'operation', type: 'number', op, args };
  }

  #like(node: FilterNode & { kind: 'operation' }): TypedNode {
    const [left, right] = node.args.map((arg) => this.check(arg, 'text')) as [TypedNode, TypedNode];
    if (left.type !== 'text') {
      throw this.#refuse(node.args[0]!, 'FILTER_WRONG_TYPE', `LIKE compares text, this is ${typeWords[left.type]}`);
    }
    if (right.kind !== 'literal' || right.type !== 'text') {
      throw this.#refuse(node.args[1]!, 'FILTER_WRONG_TYPE', 'LIKE needs a pattern in quotes', {
        hint: "write LIKE 'North%'",
      });
    }
    if (/(^|[^\\])(\\\\)*\\$/.test(String(right.value))) {
      throw this.#refuse(node.args[1]!, 'FILTER_SYNTAX', 'a pattern cannot end in a single backslash');
    }
    return { kind: 'operation', type: 'boolean', op: 'like', args: [left, right] };
  }

  #isValueCall(node: FilterNode): node is FilterNode & { kind: 'call' } {
    return node.kind === 'call' && (valueFunctions as readonly string[]).includes(node.name);
  }

  #comparison(node: FilterNode & { kind: 'operation' }, op: Operator): TypedNode {
    const guide = node.args.find((arg) => !this.#isValueCall(arg));
    const guided = guide === undefined ? undefined : this.check(guide);
    const type = guided?.type ?? 'text';
    const args = node.args.flatMap((arg, index): TypedNode[] => {
      if (arg === guide) return [guided!];
      if (op === 'in' && index > 0 && this.#isValueCall(arg))
        return this.#valueCall(arg, arg.name as ValueFunction, type);
      return [this.check(arg, type)];
    });
    args.forEach((arg, index) => {
      if (arg.type !== type)
        throw this.#mismatch(node, guide!, type, node.args[Math.min(index, node.args.length - 1)]!, arg);
    });
    if (type === 'boolean' && op !== '=' && op !== '<>' && op !== 'in') {
      throw this.#refuse(node, 'FILTER_WRONG_TYPE', `\`${op}\` cannot order true and false`);
    }
    return { kind: 'operation', type: 'boolean', op, args };
  }

  #mismatch(_node: FilterNode, guide: FilterNode, type: ValueType, other: FilterNode, typed: TypedNode): Refusal {
    const message = `${this.#written(guide)} is ${typeWords[type]}, but ${this.#written(other)} is ${typeWords[typed.type]}`;
    return this.#refuse(other, 'FILTER_WRONG_TYPE', message, { hint: mismatchHint(type, other, typed) });
  }
}

function mismatchHint(type: ValueType, other: FilterNode, typed: TypedNode): string | undefined {
  if (other.kind === 'text' && type === 'number') return `leave the quotes out: ${other.value}`;
  if (other.kind === 'text' && type === 'date') return `write DATE('${other.value}')`;
  if (other.kind === 'text' && type === 'instant') return `write TIMESTAMP('${other.value}')`;
  if (other.kind === 'text' && type === 'boolean') return 'write TRUE or FALSE without quotes';
  if (other.kind === 'number' && type === 'text') return `put it in quotes: '${other.value}'`;
  if (type === 'instant' && typed.type === 'date')
    return "write the instant with its time: TIMESTAMP('2026-10-01T00:00:00Z')";
  if (type === 'date' && typed.type === 'instant') return "write the day alone: DATE('2026-10-01')";
  return undefined;
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
  const typed = new Checker({ ...scope, allowsAggregates: true }).check(node);
  const bare = bareColumn(typed);
  if (bare !== undefined) {
    throw refuseAt(scope.text, node.span, {
      code: 'FILTER_WRONG_TYPE',
      message: `the column \`${bare}\` stands outside an aggregate`,
      word: bare,
      hint: `write sum(${bare}), avg(${bare}) or count()`,
    });
  }
  return typed;
}

function bareColumn(node: TypedNode): string | undefined {
  if (node.kind === 'column') return node.column.name;
  if (node.kind !== 'operation') return undefined;
  return node.args.map(bareColumn).find((name) => name !== undefined);
}
