import { createHash, randomUUID } from 'node:crypto';
import {
  effectiveFilterOf,
  figureInView,
  viewerName,
  viewingBefore,
  type EffectiveFilter,
  type TokenViewer,
  type Viewer,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import {
  asksData,
  comparedWith,
  planEarlier,
  planFigure,
  type DataFigure,
  type FigureResult,
} from '@underbell/core/report';
import { readFigure } from '../dataset/index.ts';
import { programVersion, type App } from '../platform/index.ts';
import { misfits, refusalOf, revisionFor, type PreparedView } from './prepare.ts';

export function dataFigures(view: PreparedView): DataFigure[] {
  return view.viewing.page.figures.filter(asksData);
}

/** A mistake is told at once; what fits some datasets of the page is told figure by figure. */
function throwIfNothingFits(found: readonly (EffectiveFilter | Refusal)[]): void {
  const [first] = found;
  if (first instanceof Refusal && misfits.includes(first.code) && found.every((one) => one instanceof Refusal))
    throw first;
}

const toRefused = ({ code, message, details }: Refusal): FigureResult => ({
  columns: [],
  rows: [],
  refused: { code, message, ...(details.hint ? { hint: details.hint } : {}) },
});

/** A figure that a mask keeps from its viewer says so in its place; the rest of the page stands. */
async function orRefused(read: () => Promise<FigureResult>): Promise<FigureResult> {
  try {
    return await read();
  } catch (error) {
    return toRefused(refusalOf(error));
  }
}

type Compared = Pick<FigureResult, 'before' | 'notCompared'>;

async function before(app: App, view: PreparedView, figure: DataFigure): Promise<Compared> {
  const how = comparedWith(figure);
  if (how === undefined) return {};
  const revision = revisionFor(view, figure);
  const earlier = viewingBefore(view.viewing, revision.shape, how, view.taste.locale);
  if (typeof earlier === 'string') return { notCompared: earlier };
  const filter = effectiveFilterOf(earlier.viewing, revision.shape, figure);
  const plan = planEarlier(view.viewing.report, figureInView(view.viewing, figure), filter.visible);
  const { rows } = await readFigure(app, { lane: 'readers', revision, filter }, figure, plan);
  return { before: { words: earlier.words, rows } };
}

/** What keeps a figure from its viewer, as far as that is known before any row is read. */
export function refusalFor(view: PreparedView, figure: DataFigure): Refusal | undefined {
  const found = view.filterOf(figure);
  if (found instanceof Refusal) return found;
  try {
    planFigure(view.viewing.report, figureInView(view.viewing, figure), found.visible);
    return undefined;
  } catch (error) {
    return refusalOf(error);
  }
}

/** One figure's answer with everything it is compared with. */
export async function readOne(app: App, view: PreparedView, figure: DataFigure): Promise<FigureResult> {
  const { viewing } = view;
  const found = view.filterOf(figure);
  if (found instanceof Refusal) return toRefused(found);
  const drill = viewing.drills?.find((one) => one.figure === figure.name);
  return orRefused(async () => {
    const shown = figureInView(viewing, figure);
    const revision = revisionFor(view, figure);
    const plan = planFigure(viewing.report, shown, found.visible);
    const [result, earlier] = await Promise.all([
      readFigure(app, { lane: 'readers', revision, filter: found }, shown, plan),
      before(app, view, figure),
    ]);
    const levels = figure.kind === 'bar' ? [figure.by, ...(figure.drill ?? [])] : [];
    const path = drill?.values.map((value, i) => ({ column: levels[i]!, value }));
    return { ...result, ...earlier, ...(path ? { path } : {}) };
  });
}

/** Answers of every figure of the page that asks for data. @throws {Refusal} where a limit fits no figure at all */
export async function readFigures(app: App, view: PreparedView): Promise<Map<string, FigureResult>> {
  const figures = dataFigures(view);
  throwIfNothingFits(figures.map((figure) => view.filterOf(figure)));
  const entries = await Promise.all(figures.map(async (one) => [one.name, await readOne(app, view, one)] as const));
  return new Map(entries);
}

const digest = (parts: readonly unknown[]): string =>
  createHash('sha256').update(JSON.stringify(parts)).digest('base64url').slice(0, 27);

/** Another one whenever answers of a live source do not hold any more: each time where they never do. */
function tickOf(keepMs: number | undefined, now: number): number | string | undefined {
  if (keepMs === undefined) return undefined;
  return keepMs === 0 ? randomUUID() : Math.floor(now / keepMs);
}

/** What of its datasets each figure of a page may show: equal for all who see the same there. */
function seenOf(view: PreparedView): unknown[] {
  return dataFigures(view).map((figure) => {
    const filter = view.filterOf(figure);
    if (filter instanceof Refusal) return [filter.code, filter.message, filter.details.hint];
    const { where, masking } = filter;
    return [where, [...masking.hidden], [...masking.coarse], masking.minRows];
  });
}

/** Whether two see the same rows and columns in the same figures, in whatever language. */
export const seesTheSame = (one: PreparedView, other: PreparedView): boolean =>
  digest(seenOf(one)) === digest(seenOf(other));

/**
 * Changes whenever anything that the figures of a page are made of does: what is asked, what may be seen, and the program
 * that computes it. Equal for all viewers whose filters are.
 */
export function resultsKey(view: PreparedView, now: number): string {
  const { edition, viewing, revisions, taste } = view;
  const figures = dataFigures(view);
  const { viewer } = viewing;
  return digest([
    edition.number,
    viewing.report.name,
    viewing.page.name,
    viewing.page.figures.map((one) => one.name),
    [...revisions.values()].map((one) => [one.id, one.staleSince, tickOf(one.keepMs, now)]),
    seenOf(view),
    [viewing.chosen, viewing.fixed].map((list) => list.map((one) => [one.parameter.name, one.texts])),
    viewing.drills,
    taste,
    // What they are compared with has filters of its own.
    figures.some((one) => comparedWith(one) !== undefined) ? [viewer.kind, viewerId(viewer)] : undefined,
    programVersion(),
  ]);
}

export const viewerId = (viewer: Viewer): string =>
  viewer.kind === 'person' ? viewer.id : (viewer as TokenViewer).tokenId;

/** Changes whenever anything that the whole answer is made of does: its figures, how it is named, and what else may be done. */
export function viewTag({ viewing, place }: PreparedView, results: string, mayExport: boolean): string {
  const { viewer } = viewing;
  const pages = viewer.kind === 'client' ? (viewer as TokenViewer).details?.pages : undefined;
  return `"${digest([results, viewerName(viewer), place, pages, mayExport])}"`;
}
