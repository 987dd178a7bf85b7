import { formatValue, type DatasetColumn, type ValueType } from '../dataset/index.ts';
import type { TypedNode } from './typed.ts';

/** How values travel: as parameters of a statement, or as settings that a COPY can read. */
export interface SqlBinder {
  /** @returns SQL that stands for the value with this PostgreSQL type */
  bind(text: string, pgType: string): string;
  /** @returns SQL that stands for an array of values with this PostgreSQL element type */
  bindArray(texts: readonly string[], pgType: string): string;
  /** @returns SQL that holds where `item` is one of the values, looked up by hash however many there are */
  isAmong(item: string, texts: readonly string[], pgType: string): string;
}

const pgTypes: Record<ValueType, string> = {
  text: 'text',
  number: 'numeric',
  boolean: 'boolean',
  date: 'date',
  instant: 'timestamptz',
};
/** The marks that accents are made of, as a bracket expression of PostgreSQL's regular expressions. */
const accents = '[\\u0300-\\u036f\\u1ab0-\\u1aff\\u1dc0-\\u1dff\\u20d0-\\u20ff\\ufe20-\\ufe2f]';
/** Longer lists become a hashed lookup instead of a chain of comparisons. */
const longList = 8;

/** Quotes an identifier; names come from the dataset's own columns, never from a request. */
export function quoteName(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

/** Binds to `$1`, `$2`, … of one statement. */
export class StatementBinder implements SqlBinder {
  readonly values: (string | readonly string[])[] = [];

  bind(text: string, pgType: string): string {
    this.values.push(text);
    return `$${this.values.length}::${pgType}`;
  }

  bindArray(texts: readonly string[], pgType: string): string {
    this.values.push(texts);
    return `$${this.values.length}::${pgType}[]`;
  }

  // A parameter is a constant to the planner, and looking up in one is hashed.
  isAmong(item: string, texts: readonly string[], pgType: string): string {
    return `(${item} = ANY (${this.bindArray(texts, pgType)}))`;
  }
}

/**
 * Binds to settings of the transaction, because COPY takes no parameters: each value is set by `set_config`, itself
 * bound, and read once per statement through an uncorrelated subquery.
 */
export class SettingBinder implements SqlBinder {
  readonly settings: { readonly name: string; readonly value: string }[] = [];

  #add(value: string): string {
    const name = `underbell.v${this.settings.length + 1}`;
    this.settings.push({ name, value });
    return `(SELECT current_setting('${name}'))`;
  }

  bind(text: string, pgType: string): string {
    return `${this.#add(text)}::${pgType}`;
  }

  bindArray(texts: readonly string[], pgType: string): string {
    const quoted = texts.map((text) => `"${text.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`);
    return `${this.#add(`{${quoted.join(',')}}`)}::${pgType}[]`;
  }

  // A setting is not known before the statement runs: only a join is hashed then.
  isAmong(item: string, texts: readonly string[], pgType: string): string {
    return `(${item} IN (SELECT unnest(${this.bindArray(texts, pgType)})))`;
  }
}

const columnIn = (alias: string) => {
  const prefix = alias === '' ? '' : `${quoteName(alias)}.`;
  return (column: DatasetColumn) => `${prefix}${quoteName(column.name)}`;
};

/**
 * Compiles a checked expression to PostgreSQL.
 *
 * Text compares by code point (`COLLATE "C"` on the column), numbers exactly, missing values by SQL's three-valued logic.
 *
 * @param columns - the alias of the table that the columns are in, or what stands for each of them
 */
export function compileSql(
  node: TypedNode,
  binder: SqlBinder,
  columns: string | ((column: DatasetColumn) => string) = '',
): string {
  const columnSql = typeof columns === 'function' ? columns : columnIn(columns);
  const sql = (one: TypedNode, numberType = 'numeric'): string => {
    switch (one.kind) {
      case 'literal':
        if (one.type === 'boolean') return one.value === true ? 'TRUE' : 'FALSE';
        return binder.bind(formatValue(one.value, one.type), one.type === 'number' ? numberType : pgTypes[one.type]);
      case 'column':
        return columnSql(one.column);
      case 'aggregate':
        return aggregateSql(one, sql);
      case 'operation':
        return operationSql(one, sql, binder);
    }
  };
  return sql(node);
}

type Sql = (node: TypedNode, numberType?: string) => string;

const wholeNumber = /^-?\d{1,18}$/;

/** A whole column beside whole numbers compares as bigint: as numeric, every row would be converted. */
function comparedType(args: readonly TypedNode[]): 'bigint' | 'numeric' {
  const isWhole = args.every((one) =>
    one.kind === 'literal'
      ? one.type === 'number' && wholeNumber.test(String(one.value))
      : one.kind === 'column' && one.column.type === 'integer',
  );
  return isWhole ? 'bigint' : 'numeric';
}

function aggregateSql(node: TypedNode & { kind: 'aggregate' }, sql: Sql): string {
  if (node.arg === undefined) return 'count(*)';
  const arg = sql(node.arg);
  if (node.name === 'count_distinct') return `count(DISTINCT ${arg})`;
  if (node.arg.type !== 'boolean') return `${node.name}(${arg})`;
  // A condition counts as one where it holds; missing stays missing, as for numbers.
  return `${node.name}((${arg})::integer)`;
}

function operationSql(node: TypedNode & { kind: 'operation' }, sql: Sql, binder: SqlBinder): string {
  const { op, args } = node;
  switch (op) {
    case 'and':
    case 'or':
      return `(${args.map((arg) => sql(arg)).join(op === 'and' ? ' AND ' : ' OR ')})`;
    case 'not':
      return `(NOT ${sql(args[0]!)})`;
    case 'isNull':
      return `(${sql(args[0]!)} IS NULL)`;
    case 'between': {
      const [item, low, high] = args.map((arg) => sql(arg, comparedType(args)));
      return `(${item} BETWEEN ${low} AND ${high})`;
    }
    case 'like':
      return `(${sql(args[0]!)} LIKE ${sql(args[1]!)})`;
    case 'in':
      return inSql(args, sql, binder);
    case '/':
      // Division by zero has no value; a figure shows a dash instead of failing.
      return `(${sql(args[0]!)} / nullif(${sql(args[1]!)}, 0))`;
    case '%':
      return `(${numeric(args[0]!, sql)} % nullif(${numeric(args[1]!, sql)}, 0))`;
    case 'div':
      return `div(${numeric(args[0]!, sql)}, nullif(${numeric(args[1]!, sql)}, 0))`;
    case '+':
    case '-':
    case '*':
      return `(${numeric(args[0]!, sql)} ${op} ${numeric(args[1]!, sql)})`;
    case 'double':
      return `(${sql(args[0]!)})::float8`;
    case 'casei':
      return `lower(${sql(args[0]!)} COLLATE "und-x-icu") COLLATE "C"`;
    case 'accenti':
      return `normalize(regexp_replace(normalize(${sql(args[0]!)}, NFD), '${accents}', '', 'g'), NFC) COLLATE "C"`;
    default: {
      const [left, right] = args.map((arg) => sql(arg, comparedType(args)));
      return `(${left} ${op} ${right})`;
    }
  }
}

/** Whole numbers compute as numeric, which has no end; a sum of bigints would stop at 2^63. */
function numeric(node: TypedNode, sql: Sql): string {
  const text = sql(node);
  return node.kind === 'column' && node.column.type === 'integer' ? `${text}::numeric` : text;
}

function inSql([item, ...values]: readonly TypedNode[], sql: Sql, binder: SqlBinder): string {
  const texts = values.map((value) => (value.kind === 'literal' ? formatValue(value.value, value.type) : undefined));
  const type = item!.type;
  if (values.length > longList && type !== 'boolean' && texts.every((text) => text !== undefined)) {
    const elementType = type === 'number' ? comparedType([item!, ...values]) : pgTypes[type];
    return binder.isAmong(sql(item!), texts as string[], elementType);
  }
  const numberType = comparedType([item!, ...values]);
  return `(${sql(item!, numberType)} IN (${values.map((value) => sql(value, numberType)).join(', ')}))`;
}
