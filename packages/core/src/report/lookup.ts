import type { DatasetShape } from '../dataset/index.ts';
import { Refusal, suggest } from '../refusal/index.ts';
import type { Figure, Page, ReportDefinition } from './definition.ts';

/** A page by its readable name; the first one when none is asked for. */
export function findPage(report: ReportDefinition, name?: string): Page {
  const page = name === undefined ? report.pages[0] : report.pages.find((one) => one.name === name);
  if (page !== undefined) return page;
  throw new Refusal('PAGE_UNKNOWN', `Report “${report.name}” has no page “${name}”.`, {
    pointer: 'page',
    word: name,
    ...suggest(
      name ?? '',
      report.pages.map((one) => one.name),
    ),
  });
}

export function findFigure(page: Page, name: string): Figure {
  const figure = page.figures.find((one) => one.name === name);
  if (figure !== undefined) return figure;
  throw new Refusal('FIGURE_UNKNOWN', `Page “${page.name}” has no figure “${name}”.`, {
    word: name,
    ...suggest(
      name,
      page.figures.map((one) => one.name),
    ),
  });
}

/** The dataset that a figure or measure reads: the one it names, or the report's only one. */
export function datasetNameOf(report: ReportDefinition, named?: string): string | undefined {
  if (named !== undefined) return named;
  const names = Object.keys(report.datasets);
  return names.length === 1 ? names[0] : undefined;
}

/** Finds the shape of a dataset by name. */
export type FindDataset = (name: string) => DatasetShape | undefined;
