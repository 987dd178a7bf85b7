import { explainInWords } from '@underbell/core/filter';
import type { Value } from '@underbell/core/dataset';
import { asksData, datasetNameOf, planFigure, type FigureResult } from '@underbell/core/report';
import { readFigure, readFigurePerValue } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import type { PageScene } from '@underbell/core/render';
import { commonFilter, filterFor, partitionColumn, type PreparedBurst } from './prepare.ts';

/** Each figure's answers for all recipients. */
export type FigureAnswers = (value: Value) => Map<string, FigureResult>;

/** Reads the figures of a page for all recipients: one grouped query per figure, however many copies. */
export async function readAnswers(app: App, burst: PreparedBurst, values: readonly Value[]): Promise<FigureAnswers> {
  const { viewing, revisions } = burst;
  const perFigure: { name: string; answer: (value: Value) => FigureResult }[] = [];
  for (const figure of viewing.page.figures) {
    if (!asksData(figure)) continue;
    const revision = revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;
    const common = commonFilter(burst, revision.shape, figure);
    const plan = planFigure(viewing.report, figure, common.visible);
    const column = partitionColumn(burst, revision.shape);
    if (column === undefined) {
      const whole = await readFigure(app, { lane: 'planned', revision, filter: common }, figure, plan);
      perFigure.push({ name: figure.name, answer: () => whole });
      continue;
    }
    const filter = filterFor(burst, revision.shape, values, figure);
    const by = { kind: 'column', type: 'text', column } as const;
    // A figure whose own filter leaves a recipient nothing still stands on the page, empty.
    const answer = await readFigurePerValue(app, { lane: 'planned', revision, filter }, figure, plan, by);
    perFigure.push({ name: figure.name, answer });
  }
  return (value) => new Map(perFigure.map(({ name, answer }) => [name, answer(value)]));
}

/** One recipient's page as it is drawn on paper or in a picture. */
export function sceneOfCopy(
  app: App,
  burst: PreparedBurst,
  value: Value,
  results: Map<string, FigureResult>,
): PageScene {
  const { viewing, rowRevision } = burst;
  const parts = filterFor(burst, rowRevision.shape, [value]).parts.filter((part) => part.origin !== 'record rule');
  return {
    title: viewing.report.title,
    page: viewing.page,
    results,
    taste: { locale: app.settings.locale, timeZone: app.settings.timeZone },
    limits: parts.map((part) => part.words ?? explainInWords(part.node)),
    parameters: Object.fromEntries(viewing.fixed.map((one) => [one.parameter.name, one.words ?? one.texts.join(', ')])),
    dataAsOf: rowRevision.loadedAt.getTime(),
  };
}
