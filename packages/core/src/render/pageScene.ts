import type { Figure, FigureResult, Page } from '../report/index.ts';
import type { FormatOptions } from '../format/index.ts';

/** Everything that a rendered page shows; no more is looked up while drawing. */
export interface PageScene {
  readonly title: string;
  readonly page: Page;
  readonly results: ReadonlyMap<string, FigureResult>;
  readonly taste: FormatOptions;
  /** What each parameter is set to, in words, for texts that show it. */
  readonly parameters?: Readonly<Record<string, string>>;
  /** What is filtered, in words. */
  readonly limits: readonly string[];
  /** When the data was loaded, milliseconds since 1970-01-01T00:00:00Z; also stands in the document as its date, so that equal input gives equal bytes. */
  readonly dataAsOf: number;
  /** Without which a printed page does not open. */
  readonly password?: string;
}

/** Figures that stand beside each other, from top to bottom; rows of the grid count from 1. */
export interface Band {
  readonly top: number;
  readonly rows: number;
  readonly figures: readonly Figure[];
}

/** Cuts a page into bands that can be moved to the next sheet as a whole. A table is a band of its own: it may flow. */
export function bandsOf(page: Page): Band[] {
  const sorted = page.figures
    // Paper has nothing to pick from.
    .filter((figure) => figure.kind !== 'picker')
    .sort((a, b) => a.at.row - b.at.row || a.at.column - b.at.column);
  const bands: { top: number; bottom: number; figures: Figure[] }[] = [];
  const tables: { after: number; figure: Figure }[] = [];
  for (const figure of sorted) {
    const bottom = figure.at.row + figure.at.height;
    if (figure.kind === 'table' || figure.kind === 'crosstab') {
      tables.push({ after: figure.at.row, figure });
      continue;
    }
    const last = bands.at(-1);
    if (last && figure.at.row < last.bottom) {
      last.figures.push(figure);
      last.bottom = Math.max(last.bottom, bottom);
    } else {
      bands.push({ top: figure.at.row, bottom, figures: [figure] });
    }
  }
  const all = [
    ...bands.map(({ top, bottom, figures }) => ({ top, rows: bottom - top, figures })),
    ...tables.map(({ after, figure }) => ({ top: after, rows: figure.at.height, figures: [figure] })),
  ];
  return all.sort((a, b) => a.top - b.top);
}
