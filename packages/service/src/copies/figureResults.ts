import type { Cut } from '@underbell/core/burst';
import { explainInWords } from '@underbell/core/filter';
import { asksData, type DataFigure, type FigureResult } from '@underbell/core/report';
import type { PageScene } from '@underbell/core/render';
import { CutAsker, readFigure, readFigurePerCut } from '../dataset/index.ts';
import { mapConcurrent, type App } from '../platform/index.ts';
import { parameterWords } from '../view/index.ts';
import { queriesAtOnce } from './sliceFiles.ts';
import { previousPeriodOf, earlierQuestionOf, questionOf, type Earlier, type FigureQuestion } from './validateJob.ts';
import { filterFor, scanFor, viewingOf } from './filters.ts';
import type { CopyJob } from './job.ts';

/** Each figure's answers, by the number of the cut. */
export type ResultsOfCut = (cut: number) => Map<string, FigureResult>;

/**
 * Reads the figures of a page for all cuts: from one scan, however many figures and copies, or by a query for each
 * figure of each copy where no scan can be cut.
 */
export async function readResults(app: App, job: CopyJob, cuts: readonly Cut[]): Promise<ResultsOfCut> {
  const figures = job.viewing.page.figures.filter(asksData);
  const asker = new CutAsker(app);
  const answers =
    job.strategy.kind === 'one pass'
      ? await Promise.all(figures.map((figure) => answerAll(app, job, figure, cuts, asker)))
      : await inOrder(figures, (figure) => answerEach(app, job, figure, cuts));
  return (cut) => new Map(figures.map((figure, i) => [figure.name, answers[i]!(cut)]));
}

async function inOrder<T, R>(items: readonly T[], work: (item: T) => Promise<R>): Promise<R[]> {
  const results: R[] = [];
  for (const item of items) results.push(await work(item));
  return results;
}

type Answer = (cut: number) => FigureResult;

/** The answers of one question for all cuts, from one scan. */
async function readAll(
  app: App,
  job: CopyJob,
  figure: DataFigure,
  { revision, plan }: FigureQuestion,
  cuts: readonly Cut[],
  asker: CutAsker,
): Promise<Answer> {
  const { filter, ...partition } = scanFor(job, revision.shape, cuts, figure);
  const request = { lane: 'planned', revision, filter } as const;
  if (partition.columns.length > 0) return readFigurePerCut(app, asker, request, figure, plan, partition);
  // A shared dataset: all see it whole.
  const whole = await readFigure(app, request, figure, plan);
  return () => whole;
}

async function answerAll(
  app: App,
  job: CopyJob,
  figure: DataFigure,
  cuts: readonly Cut[],
  asker: CutAsker,
): Promise<Answer> {
  const earlier = previousPeriodOf(job, figure);
  const [now, before] = await Promise.all([
    readAll(app, job, figure, questionOf(job, figure, undefined), cuts, asker),
    typeof earlier === 'object'
      ? readAll(app, earlier.job, figure, earlierQuestionOf(earlier.job, figure, undefined), cuts, asker)
      : undefined,
  ]);
  return (i) => withEarlier(app, now(i), earlier, before?.(i).rows, cuts[i]!);
}

async function answerEach(app: App, job: CopyJob, figure: DataFigure, cuts: readonly Cut[]): Promise<Answer> {
  const results: FigureResult[] = [];
  await mapConcurrent([...cuts.entries()], queriesAtOnce, async ([i, cut]) => {
    const read = ({ plan, ...request }: FigureQuestion) =>
      readFigure(app, { lane: 'planned', ...request }, figure, plan);
    const now = await read(questionOf(job, figure, cut));
    const own = viewingOf(job, cut);
    const earlier = previousPeriodOf(job, figure, own);
    // What the copy is cut by has moved with the viewing.
    const before =
      typeof earlier === 'object'
        ? await read(earlierQuestionOf({ ...earlier.job, isCutAlready: true }, figure, cut))
        : undefined;
    results[i] = withEarlier(app, now, earlier, before?.rows, cut);
  });
  return (cut) => results[cut]!;
}

/** An answer beside the earlier period that it is compared with, or with why there is none. */
function withEarlier(
  app: App,
  result: FigureResult,
  earlier: Earlier | string | undefined,
  rows: FigureResult['rows'] | undefined,
  cut: Cut,
): FigureResult {
  if (earlier === undefined) return result;
  if (typeof earlier === 'string') return { ...result, notCompared: earlier };
  return { ...result, before: { words: earlier.words(cut.language ?? app.settings.locale), rows: rows ?? [] } };
}

/** One recipient's page as it is drawn on paper or in a picture, in their language and time zone. */
export function sceneOfCopy(app: App, job: CopyJob, cut: Cut, results: Map<string, FigureResult>): PageScene {
  const { viewing, rowRevision, bound } = job;
  const { locale, timeZone } = app.settings;
  const parts = filterFor(job, rowRevision.shape, cut).parts.filter((part) => part.origin !== 'row rule');
  return {
    title: viewing.report.title,
    page: viewing.page,
    results,
    taste: { locale: cut.language ?? locale, timeZone: cut.timeZone ?? timeZone },
    limits: parts.map((part) => part.words ?? explainInWords(part.node)),
    parameters: Object.fromEntries([
      ...bound.map((one) => [one.parameter.name, (cut.fields[one.listColumn] ?? []).join(', ')]),
      ...viewing.fixed.map((one) => {
        const { name } = one.parameter;
        const set = one.span ? undefined : job.settings.find((setting) => setting.parameter === name);
        return [name, set?.value ?? parameterWords(one, cut.language ?? locale)];
      }),
    ]),
    dataAsOf: rowRevision.loadedAt.getTime(),
    ...(cut.password === undefined ? {} : { password: cut.password }),
  };
}
