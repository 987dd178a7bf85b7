import {
  formatValue,
  parseValue,
  valueTypeOf,
  type DatasetColumn,
  type DatasetShape,
  type DateStep,
} from '../dataset/index.ts';
import { quoteIfNeeded } from '../filter/index.ts';
import { missingMark } from '../format/index.ts';
import { spanFrom, type Figure } from '../report/index.ts';

/** The column that the marks of a figure stand for, and the step of its dates. */
export function selectionColumn(figure: Figure): { by: string; step?: DateStep } | undefined {
  switch (figure.kind) {
    case 'bar':
    case 'line':
    case 'area':
      return { by: figure.by, ...(figure.step ? { step: figure.step } : {}) };
    case 'scatter':
      return { by: figure.by };
    case 'table':
      return figure.measures && figure.measures.length > 0 ? { by: figure.columns[0]! } : undefined;
    case 'crosstab':
      return { by: figure.rows[0]! };
    default:
      return undefined;
  }
}

/** The column of a dataset that means the same as one of another: by key, else by name. */
export function sameColumn(from: DatasetShape, name: string, to: DatasetShape): DatasetColumn | undefined {
  const key = from.columns.find((one) => one.name === name)?.key;
  const keyed = key === undefined ? undefined : to.columns.find((one) => one.key === key);
  return keyed ?? to.columns.find((one) => one.name === name);
}

const quoteText = (text: string) => `'${text.replaceAll("'", "''")}'`;

function literal(column: DatasetColumn, raw: string): string {
  const type = valueTypeOf(column.type);
  const text = formatValue(parseValue(raw, column.type, `${column.name}:`), type);
  if (type === 'text') return quoteText(text);
  if (type === 'date') return `DATE('${text}')`;
  return type === 'instant' ? `TIMESTAMP('${text}')` : type === 'boolean' ? text.toUpperCase() : text;
}

/**
 * Picked marks as CQL2 text.
 *
 * @param raw - values of the column as answers show them; a dash stands for rows without a value
 * @throws {Refusal} `VALUE_INVALID`
 */
export function selectionText(column: DatasetColumn, step: DateStep | undefined, raw: readonly string[]): string {
  const name = quoteIfNeeded(column.name);
  const present = raw.filter((text) => text !== missingMark || column.type === 'text');
  const values = present.map((text) => literal(column, text));
  const isGathered = step !== undefined && step !== 'day' && column.type === 'date';
  const stretches = isGathered ? present.map((text) => spanFrom(parseValue(text, 'date') as string, step)) : [];
  const parts = [
    ...(raw.includes(missingMark) ? [`${name} IS NULL`] : []),
    ...(isGathered
      ? stretches.map(({ from, to }) => `${name} BETWEEN DATE('${from}') AND DATE('${to}')`)
      : values.length === 1
        ? [`${name} = ${values[0]}`]
        : values.length > 1
          ? [`${name} IN (${values.join(', ')})`]
          : []),
  ];
  return parts.length === 1 ? parts[0]! : `(${parts.join(' OR ')})`;
}
