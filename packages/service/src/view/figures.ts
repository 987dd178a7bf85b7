import { createHash } from 'node:crypto';
import {
  effectiveFilterOf,
  figureInView,
  viewerName,
  viewingBefore,
  type EffectiveFilter,
} from '@underbell/core/access';
import { isRefusal, Refusal, type RefusalCode } from '@underbell/core/refusal';
import {
  asksData,
  comparedWith,
  datasetNameOf,
  planEarlier,
  planFigure,
  type DataFigure,
  type FigureResult,
} from '@underbell/core/report';
import { readFigure, type Revision } from '../dataset/index.ts';
import type { TokenViewer } from '../oauth/index.ts';
import { programMark, type App } from '../platform/index.ts';
import type { PreparedView } from './usecases.ts';

/** What keeps a single figure from its viewer while the rest of the page stands. */
const masked: readonly RefusalCode[] = ['COLUMN_HIDDEN', 'GROUPS_TOO_SMALL'];
/** A limit that does not fit a dataset: its figures refuse, unless it fits no dataset of the page at all. */
const misfits: readonly RefusalCode[] = ['FILTER_UNKNOWN_COLUMN', 'KEY_MISSING'];

export function dataFigures(view: PreparedView): DataFigure[] {
  return view.viewing.page.figures.filter(asksData);
}

export function revisionFor({ viewing, revisions }: PreparedView, figure: DataFigure): Revision {
  return revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;
}

function refusalOf(error: unknown): Refusal {
  if (isRefusal(error) && [...masked, ...misfits].includes(error.code)) return error;
  throw error;
}

/** The effective filter of a figure, or why it has none. */
export function filterOf(view: PreparedView, figure: DataFigure): EffectiveFilter | Refusal {
  try {
    return effectiveFilterOf(view.viewing, revisionFor(view, figure).shape, figure);
  } catch (error) {
    return refusalOf(error);
  }
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

/** One figure's answer with everything it is compared with. */
export async function readOne(app: App, view: PreparedView, figure: DataFigure): Promise<FigureResult> {
  const { viewing } = view;
  const found = filterOf(view, figure);
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
  throwIfNothingFits(figures.map((figure) => filterOf(view, figure)));
  const entries = await Promise.all(figures.map(async (one) => [one.name, await readOne(app, view, one)] as const));
  return new Map(entries);
}

/**
 * Changes whenever anything that the answer is made of does: what is asked, what may be seen, how it is named, and the
 * program that words it.
 */
export function viewTag(view: PreparedView, now: number, mayExport: boolean): string {
  const { edition, viewing, revisions, taste, placement } = view;
  const { viewer } = viewing;
  const filters = dataFigures(view).map((figure) => {
    const filter = filterOf(view, figure);
    if (filter instanceof Refusal) return filter.code;
    const { where, masking } = filter;
    return [where, [...masking.hidden], [...masking.coarse], masking.minRows];
  });
  const parts = [
    edition.number,
    viewing.report.name,
    viewing.page.name,
    [...revisions.values()].map((one) => [one.id, one.staleSince, one.keepMs && Math.floor(now / one.keepMs)]),
    filters,
    [viewing.chosen, viewing.fixed].map((list) => list.map((one) => [one.parameter.name, one.texts])),
    viewing.drills,
    taste,
    viewerName(viewer),
    placement?.title,
    viewer.kind === 'client' ? (viewer as TokenViewer).details?.pages : undefined,
    mayExport,
    programMark(),
  ];
  return `"${createHash('sha256').update(JSON.stringify(parts)).digest('base64url').slice(0, 27)}"`;
}
