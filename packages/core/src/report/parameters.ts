import { parseValue, type DatasetColumn, type DatasetShape, type Value } from '../dataset/index.ts';
import { Refusal, suggest } from '../refusal/index.ts';
import type { Parameter, ReportDefinition } from './definition.ts';
import { readDay, readSpan, type DateSpan } from './span.ts';

/** Raw values by parameter name, as a web address or a burst gives them; several for a many-valued one. */
export type RawParameters = Readonly<Record<string, string | readonly string[]>>;

export interface ParameterValue {
  readonly parameter: Parameter;
  /** At least one; more only where the parameter takes many. */
  readonly values: readonly Value[];
  /** As they were written. */
  readonly texts: readonly string[];
  /** What a period reaches over; `values` are its first and last day then. */
  readonly span?: DateSpan;
  /** Nobody gave it: it is the report's default. */
  readonly isDefault?: boolean;
}

export interface ParameterOptions {
  /** `YYYY-MM-DD`; what relative dates count from. */
  readonly today: string;
  /** Without the report's defaults, and without asking for required ones: values that a placement or token fixes. */
  readonly isPartial?: boolean;
  /** Parameters whose defaults the reader took off. */
  readonly without?: readonly string[];
}

const listOf = (raw: string | readonly string[]): readonly string[] => (typeof raw === 'string' ? [raw] : raw);

function refuseUnknown(report: ReportDefinition, names: readonly string[], pointer?: string): void {
  const known = (report.parameters ?? []).map((one) => one.name);
  const name = names.find((one) => !known.includes(one));
  if (name === undefined) return;
  throw new Refusal('PARAMETER_UNKNOWN', `Report “${report.name}” has no parameter “${name}”.`, {
    pointer: pointer ?? name,
    word: name,
    ...suggest(name, known),
  });
}

/** One parameter's texts by its declared type. @throws {Refusal} `VALUE_INVALID` */
export function readParameter(parameter: Parameter, texts: readonly string[], today: string): ParameterValue {
  const { name, type } = parameter;
  const what = `parameter ${name}:`;
  if (texts.length === 0 || (texts.length > 1 && parameter.many !== true)) {
    throw new Refusal('VALUE_INVALID', `Parameter “${name}” takes one value, not ${texts.length}.`, {
      pointer: name,
      hint: 'Set it once, or declare it with “many”.',
    });
  }
  if (parameter.period === true) {
    const span = readSpan(texts[0]!, today, what);
    return { parameter, texts, span, values: [span.from, span.to] };
  }
  if (Array.isArray(parameter.allowed)) {
    const wrong = texts.find((text) => !(parameter.allowed as readonly string[]).includes(text));
    if (wrong !== undefined) {
      throw new Refusal('VALUE_INVALID', `${what} “${wrong.slice(0, 60)}” is not an allowed value.`, {
        pointer: name,
        word: wrong,
        ...suggest(wrong, parameter.allowed as readonly string[]),
      });
    }
  }
  const values = texts.map((text) => parseValue(type === 'date' ? readDay(text, today) : text, type, what));
  return { parameter, texts, values };
}

/**
 * Reads values by the parameters' declared types; defaults stand where nothing was given.
 *
 * @throws {Refusal} `PARAMETER_UNKNOWN`, `PARAMETER_MISSING`, `VALUE_INVALID`
 */
export function readParameters(
  report: ReportDefinition,
  given: RawParameters,
  options: ParameterOptions,
): ParameterValue[] {
  const { today, isPartial = false, without = [] } = options;
  refuseUnknown(report, Object.keys(given));
  refuseUnknown(report, without, 'without');
  return (report.parameters ?? []).flatMap((parameter) => {
    const raw = Object.hasOwn(given, parameter.name) ? given[parameter.name] : undefined;
    if (raw !== undefined) return [readParameter(parameter, listOf(raw), today)];
    if (isPartial) return [];
    if (parameter.default !== undefined && !without.includes(parameter.name))
      return [{ ...readParameter(parameter, listOf(parameter.default), today), isDefault: true }];
    if (parameter.required !== true) return [];
    throw new Refusal('PARAMETER_MISSING', `Parameter “${parameter.name}” needs a value.`, {
      pointer: parameter.name,
    });
  });
}

/** Whether two readings of a parameter mean the same. */
export function sameParameterValue(one: ParameterValue, other: ParameterValue): boolean {
  return one.values.length === other.values.length && one.values.every((value) => other.values.includes(value));
}

/** Whether everything that one reading lets through, the other does as well. */
export function isWithin(inner: ParameterValue, outer: ParameterValue): boolean {
  if (inner.span && outer.span) return inner.span.from >= outer.span.from && inner.span.to <= outer.span.to;
  return inner.values.every((value) => outer.values.includes(value));
}

/**
 * The column of a dataset that a parameter filters.
 *
 * @returns undefined when the dataset is declared as shared and lacks it
 * @throws {Refusal} `SHARED_KEY_MISSING`: showing such a dataset whole would be a leak
 */
export function parameterColumn(
  report: ReportDefinition,
  parameter: Parameter,
  dataset: DatasetShape,
): DatasetColumn | undefined {
  const { key, column } = parameter;
  const found = dataset.columns.find((one) => (key === undefined ? one.name === column : one.key === key));
  if (found !== undefined || report.datasets[dataset.name]?.shared === true) return found;
  const what = key === undefined ? `column “${column}”` : `shared key “${key}”`;
  throw new Refusal(
    'SHARED_KEY_MISSING',
    `Dataset “${dataset.name}” has no ${what}, so parameter “${parameter.name}” cannot filter it.`,
    {
      word: key ?? column,
      hint: 'Set this shared key on a column, or declare the dataset as shared in the report.',
    },
  );
}
