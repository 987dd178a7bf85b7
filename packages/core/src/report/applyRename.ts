import { keysAfter, nameAfter, type Renaming } from '../access/names.ts';
import type { AllowedValues, Parameter, ReportDefinition } from './definition.ts';

function inAllowed(allowed: AllowedValues, thing: Renaming, to: string): AllowedValues {
  if (!('column' in allowed) || allowed.dataset === undefined) return allowed;
  return { ...allowed, dataset: nameAfter(allowed.dataset, 'dataset', thing, to) };
}

/** A report's definition after it, or a dataset that it reads, was given another name. */
export function renamedInReport(report: ReportDefinition, thing: Renaming, to: string): ReportDefinition {
  const inPart = <T extends object>(part: T): T => {
    const { dataset } = part as { dataset?: string };
    return dataset === undefined ? part : { ...part, dataset: nameAfter(dataset, 'dataset', thing, to) };
  };
  const measures = Object.entries(report.measures).map(([name, measure]) => [name, inPart(measure)] as const);
  const inParameter = (one: Parameter): Parameter =>
    one.allowed === undefined ? one : { ...one, allowed: inAllowed(one.allowed, thing, to) };
  return {
    ...report,
    name: nameAfter(report.name, 'report', thing, to),
    datasets: keysAfter(report.datasets, 'dataset', thing, to),
    ...(report.parameters ? { parameters: report.parameters.map(inParameter) } : {}),
    measures: Object.fromEntries(measures),
    pages: report.pages.map((page) => ({ ...page, figures: page.figures.map(inPart) })),
  };
}
