import type { ViewedFigure, ViewResponse } from '@underbell/core/view';

/** Why there is nothing: "No rows for Quay Q052, Month October 2026". */
export function emptyText(figure: ViewedFigure, answer: ViewResponse): string {
  const named = 'dataset' in figure ? figure.dataset : undefined;
  const dataset = answer.datasets.find((one) => named === undefined || one.dataset === named);
  const what = (dataset?.dataset ?? 'rows').replaceAll('-', ' ');
  const parameters = answer.parameters.flatMap((one) => (one.words ? [`${one.label} ${one.words}`] : []));
  const own = (dataset?.limits ?? [])
    .filter((one) => !one.isFixed && !answer.parameters.some((parameter) => parameter.label === one.name))
    .map((one) => one.words);
  const all = [...parameters, ...own];
  return all.length === 0 ? `No ${what} yet.` : `No ${what} for ${all.join(', ')}.`;
}
