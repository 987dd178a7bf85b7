import { freePlace } from '../board/index.ts';
import { gridColumns, type ChartPart, type Figure, type Page } from '../report/index.ts';
import type { PlacementLook } from './appearance.ts';

/** Figures as they are read. */
const inOrder = (figures: readonly Figure[]) =>
  figures.toSorted((a, b) => a.at.row - b.at.row || a.at.column - b.at.column);

const without = <T extends Figure>(figure: T, hide: readonly ChartPart[]): T =>
  'kind' in figure && ['bar', 'line', 'area', 'scatter'].includes(figure.kind)
    ? { ...figure, hide: [...new Set([...((figure as { hide?: readonly ChartPart[] }).hide ?? []), ...hide])] }
    : figure;

/** Figures without the parts that a place leaves out. */
export const figuresFor = <T extends Figure>(figures: readonly T[], { hide }: PlacementLook): readonly T[] =>
  hide && hide.length > 0 ? figures.map((one) => without(one, hide)) : figures;

/**
 * A page as a place arranges it: its figures close up in the place's own order, and its charts leave out what they should.
 * No second page has to be made for a small place. Figures that went away since are left out; all are shown where none is left.
 */
export function pageFor(page: Page, look: PlacementLook): Page {
  const figures = figuresFor(page.figures, look);
  if (!look.figures && !look.isStacked) return figures === page.figures ? page : { ...page, figures };
  const wanted = [look.figures, page.narrow].map((names) =>
    (names ?? []).flatMap((name) => figures.find((one) => one.name === name) ?? []),
  );
  const chosen = wanted.find((found) => found.length > 0) ?? inOrder(figures);
  const arranged: Figure[] = [];
  for (const one of chosen) {
    const width = look.isStacked ? gridColumns : one.at.width;
    arranged.push({ ...one, at: freePlace(arranged, width, one.at.height) });
  }
  return { ...page, figures: arranged, narrow: arranged.map((one) => one.name) };
}
