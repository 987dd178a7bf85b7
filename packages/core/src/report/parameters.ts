import { parseValue, type DatasetColumn, type DatasetShape, type Value } from '../dataset/index.ts';
import { Refusal, suggest } from '../refusal/index.ts';
import type { Parameter, ReportDefinition } from './definition.ts';

export interface ParameterValue {
  readonly parameter: Parameter;
  readonly value: Value;
  readonly raw: string;
}

/**
 * Reads values by the parameters' declared types.
 *
 * @param given - raw texts by parameter name, as a web address or a burst gives them; names are exact
 * @throws {Refusal} `PARAMETER_UNKNOWN`, `PARAMETER_MISSING`, `VALUE_INVALID`
 */
export function readParameters(report: ReportDefinition, given: Readonly<Record<string, string>>): ParameterValue[] {
  const parameters = report.parameters ?? [];
  const names = parameters.map((one) => one.name);
  for (const name of Object.keys(given)) {
    if (names.includes(name)) continue;
    throw new Refusal('PARAMETER_UNKNOWN', `the report \`${report.name}\` has no parameter \`${name}\``, {
      pointer: name,
      word: name,
      ...suggest(name, names),
    });
  }
  return parameters.flatMap((parameter) => {
    const raw = given[parameter.name];
    if (raw !== undefined)
      return [{ parameter, raw, value: parseValue(raw, parameter.type, `parameter ${parameter.name}:`) }];
    if (parameter.required !== true) return [];
    throw new Refusal('PARAMETER_MISSING', `the parameter \`${parameter.name}\` needs a value`, {
      pointer: parameter.name,
    });
  });
}

/**
 * The column of a dataset that a parameter filters.
 *
 * @returns undefined when the dataset is declared as shared and lacks it
 * @throws {Refusal} `KEY_MISSING`: showing such a dataset whole would be a leak
 */
export function parameterColumn(
  report: ReportDefinition,
  parameter: Parameter,
  dataset: DatasetShape,
): DatasetColumn | undefined {
  const { key, column } = parameter;
  const found = dataset.columns.find((one) => (key === undefined ? one.name === column : one.key === key));
  if (found !== undefined || report.datasets[dataset.name]?.shared === true) return found;
  const what = key === undefined ? `column \`${column}\`` : `key \`${key}\``;
  throw new Refusal('KEY_MISSING', `\`${dataset.name}\` has no ${what}, so \`${parameter.name}\` cannot filter it`, {
    word: key ?? column,
    hint: 'give a column of the dataset that key, or declare the dataset as shared in the report',
  });
}
