import type { Cut } from '@underbell/core/burst';
import { explainInWords } from '@underbell/core/filter';
import { asksData, datasetNameOf, planFigure, type DataFigure, type FigureResult } from '@underbell/core/report';
import type { PageScene } from '@underbell/core/render';
import { CutAsker, readFigure, readFigurePerCut } from '../dataset/index.ts';
import { sideBySide, type App } from '../platform/index.ts';
import { queriesAtOnce } from './cut.ts';
import { commonFilter, filterFor, scanFor, type PreparedBurst } from './prepare.ts';

/** Each figure's answers, by the number of the cut. */
export type FigureAnswers = (cut: number) => Map<string, FigureResult>;

/**
 * Reads the figures of a page for all cuts: from one scan, however many figures and copies, or by a query for each
 * figure of each copy where no scan can be cut.
 */
export async function readAnswers(app: App, burst: PreparedBurst, cuts: readonly Cut[]): Promise<FigureAnswers> {
  const figures = burst.viewing.page.figures.filter(asksData);
  const asker = new CutAsker(app);
  const answers =
    burst.road.kind === 'one pass'
      ? await Promise.all(figures.map((figure) => answerAll(app, burst, figure, cuts, asker)))
      : await inOrder(figures, (figure) => answerEach(app, burst, figure, cuts));
  return (cut) => new Map(figures.map((figure, i) => [figure.name, answers[i]!(cut)]));
}

async function inOrder<T, R>(items: readonly T[], work: (item: T) => Promise<R>): Promise<R[]> {
  const results: R[] = [];
  for (const item of items) results.push(await work(item));
  return results;
}

type Answer = (cut: number) => FigureResult;

const revisionOf = ({ revisions, viewing }: PreparedBurst, figure: DataFigure) =>
  revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;

async function answerAll(
  app: App,
  burst: PreparedBurst,
  figure: DataFigure,
  cuts: readonly Cut[],
  asker: CutAsker,
): Promise<Answer> {
  const revision = revisionOf(burst, figure);
  const common = commonFilter(burst, revision.shape, figure);
  const plan = planFigure(burst.viewing.report, figure, common.visible);
  const { filter, ...partition } = scanFor(burst, revision.shape, cuts, figure);
  const request = { lane: 'planned', revision, filter } as const;
  if (partition.columns.length > 0) return readFigurePerCut(app, asker, request, figure, plan, partition);
  // A shared dataset: all see it whole.
  const whole = await readFigure(app, request, figure, plan);
  return () => whole;
}

async function answerEach(app: App, burst: PreparedBurst, figure: DataFigure, cuts: readonly Cut[]): Promise<Answer> {
  const revision = revisionOf(burst, figure);
  const results: FigureResult[] = [];
  await sideBySide([...cuts.entries()], queriesAtOnce, async ([i, cut]) => {
    const filter = filterFor(burst, revision.shape, cut, figure);
    const plan = planFigure(burst.viewing.report, figure, filter.visible);
    results[i] = await readFigure(app, { lane: 'planned', revision, filter }, figure, plan);
  });
  return (cut) => results[cut]!;
}

/** One recipient's page as it is drawn on paper or in a picture, in their language and time zone. */
export function sceneOfCopy(app: App, burst: PreparedBurst, cut: Cut, results: Map<string, FigureResult>): PageScene {
  const { viewing, rowRevision, bound } = burst;
  const { locale, timeZone } = app.settings;
  const parts = filterFor(burst, rowRevision.shape, cut).parts.filter((part) => part.origin !== 'record rule');
  return {
    title: viewing.report.title,
    page: viewing.page,
    results,
    taste: { locale: cut.language ?? locale, timeZone: cut.timeZone ?? timeZone },
    limits: parts.map((part) => part.words ?? explainInWords(part.node)),
    parameters: Object.fromEntries([
      ...bound.map((one) => [one.parameter.name, (cut.fields[one.listColumn] ?? []).join(', ')]),
      ...viewing.fixed.map((one) => [one.parameter.name, one.words ?? one.texts.join(', ')]),
    ]),
    dataAsOf: rowRevision.loadedAt.getTime(),
    ...(cut.password === undefined ? {} : { password: cut.password }),
  };
}
