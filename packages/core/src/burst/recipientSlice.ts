import { formatValue, parseValue, type DatasetColumn, type DatasetShape, type Value } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import { columnIn, type TypedNode } from '../filter/index.ts';
import {
  parameterColumn,
  readParameter,
  type Parameter,
  type ParameterValue,
  type ReportDefinition,
} from '../report/index.ts';
import type { BurstDefinition } from './definition.ts';
import { recipientColumns } from './recipientColumns.ts';
import type { Recipient } from './recipients.ts';

/** Everything by which one copy of a run differs from the others; recipients with the same one share its files. */
export interface Cut {
  /** List column -> the texts of this recipient that cut the copy out, by parameter or by `recipient('…')`. */
  readonly fields: Readonly<Record<string, readonly string[]>>;
  /** Address of the person whose own row rules apply as well. */
  readonly seenBy?: string;
  /** BCP 47 tag that numbers and dates of drawn pages follow. */
  readonly language?: string;
  /** IANA time zone of drawn pages. */
  readonly timeZone?: string;
  /** Without which the printed page does not open. */
  readonly password?: string;
}

/** A report parameter and the list column that fills it. */
export interface Bound {
  readonly parameter: Parameter;
  readonly listColumn: string;
}

/** What tells cuts apart. */
export function cutKey({ fields, seenBy = '', language = '', timeZone = '', password = '' }: Cut): string {
  const sorted = Object.entries(fields).sort(([a], [b]) => (a < b ? -1 : 1));
  return JSON.stringify([sorted, seenBy, language, timeZone, password]);
}

/** The texts of a list column; one that holds several is split, and nothing is kept twice. */
export function textsOf(definition: BurstDefinition, recipient: Recipient, column: string): string[] {
  const raw = recipient.values[column] ?? '';
  const separator = definition.many?.[column];
  if (separator === undefined) return raw === '' ? [] : [raw];
  const texts = raw.split(separator).map((one) => one.trim());
  return [...new Set(texts.filter((one) => one !== ''))];
}

/**
 * Recipients as copies are counted: where each value of a column is a copy of its own, somebody with six values stands
 * here six times, as `lead-north Q001`, `lead-north Q002` and so on.
 */
export function recipientsOfCopies(definition: BurstDefinition, recipients: readonly Recipient[]): Recipient[] {
  const { each } = definition;
  if (each === undefined) return [...recipients];
  return recipients.flatMap((one) => {
    const texts = textsOf(definition, one, each);
    if (texts.length === 0) return [one];
    return texts.map((text) => ({ ...one, id: `${one.id} ${text}`, values: { ...one.values, [each]: text } }));
  });
}

/** The list columns by which copies are cut, in the order of the definition. */
export function cuttingColumns(definition: BurstDefinition): string[] {
  const named = Object.values(definition.where ?? {}).flatMap((text) => recipientColumns(text));
  return [...new Set([...Object.values(definition.bind ?? {}), ...named])];
}

/** Shorter ones are found by trying. */
const shortestPassword = 8;

/**
 * The cut of one recipient.
 *
 * @throws {Refusal} `COPY_EMPTY`: a column by which copies are cut holds nothing for them
 */
export function cutOf(definition: BurstDefinition, recipient: Recipient): Cut {
  const fields: Record<string, string[]> = {};
  for (const column of cuttingColumns(definition)) {
    fields[column] = textsOf(definition, recipient, column);
    if (fields[column].length === 0)
      throw new Refusal('COPY_EMPTY', `Column “${column}” has no value.`, { word: column });
  }
  const column = definition.pdf?.passwordColumn;
  const password = column === undefined ? '' : (recipient.values[column] ?? '').trim();
  if (column !== undefined && password.length < shortestPassword)
    throw new Refusal('COPY_EMPTY', `Column “${column}” has no password of at least ${shortestPassword} characters.`, {
      word: column,
    });
  return {
    fields,
    ...(password === '' ? {} : { password }),
    ...(definition.asSeenBy === 'recipient' ? { seenBy: recipient.address.toLowerCase() } : {}),
    ...(recipient.language ? { language: recipient.language } : {}),
    ...(recipient.timeZone ? { timeZone: recipient.timeZone } : {}),
  };
}

/** A bound parameter's values for one cut, in the type of the column that it filters. @throws {Refusal} `VALUE_INVALID` */
export function boundValues(cut: Cut, { listColumn }: Bound, column: DatasetColumn): Value[] {
  return (cut.fields[listColumn] ?? []).map((text) => parseValue(text, column.type, listColumn));
}

/** A bound parameter as a reading of the report's parameters. @throws {Refusal} `VALUE_INVALID` */
export function boundReading(cut: Cut, { parameter, listColumn }: Bound, today: string): ParameterValue {
  const texts = cut.fields[listColumn] ?? [];
  // A copy may hold several values of a parameter of which a reader picks one.
  return readParameter(texts.length > 1 ? { ...parameter, many: true } : parameter, texts, today);
}

/**
 * What a bound parameter leaves of a dataset in one cut.
 *
 * @returns undefined for a dataset that all see whole
 * @throws {Refusal} `SHARED_KEY_MISSING`, `VALUE_INVALID`
 */
export function boundCondition(
  report: ReportDefinition,
  cut: Cut,
  bound: Bound,
  dataset: DatasetShape,
): { readonly column: DatasetColumn; readonly node: TypedNode } | undefined {
  const column = parameterColumn(report, bound.parameter, dataset);
  if (column === undefined) return undefined;
  const values = boundValues(cut, bound, column);
  return { column, node: columnIn(column, valueType(column), values, `recipient('${bound.listColumn}')`) };
}

const valueType = ({ type }: DatasetColumn) => (type === 'integer' ? 'number' : type);

/** A cut's texts for people: `Q001, Q002`. */
export function cutTexts({ fields }: Cut): string {
  return Object.values(fields)
    .map((texts) => texts.join(', '))
    .join('; ');
}

/** A value as lists write it, so that both can be set beside each other. */
export function textOfValue(value: Value, column: DatasetColumn): string {
  return formatValue(value, valueType(column));
}
