import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { explainInWords } from '@underbell/core/filter';
import type { Value } from '@underbell/core/dataset';
import { parseFonts, renderPdf, type PrintFonts } from '@underbell/core/render';
import { datasetNameOf, planFigureQuery, resultColumns, type FigureResult } from '@underbell/core/report';
import { readFigure, readFigurePerValue } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import { commonFilter, filterFor, partitionColumn, type PreparedBurst } from './prepare.ts';

let fonts: PrintFonts | undefined;

function printFonts(): PrintFonts {
  const require = createRequire(import.meta.resolve('@underbell/core/render'));
  const read = (file: string) => readFileSync(require.resolve(`@expo-google-fonts/source-sans-3/${file}`));
  fonts ??= parseFonts({
    regular: read('400Regular/SourceSans3_400Regular.ttf'),
    semibold: read('600SemiBold/SourceSans3_600SemiBold.ttf'),
  });
  return fonts;
}

/** Each figure's answers for all recipients. */
export type FigureAnswers = (value: Value) => Map<string, FigureResult>;

/** Reads the figures of a page for all recipients: one grouped query per figure, however many copies. */
export async function readAnswers(app: App, burst: PreparedBurst, values: readonly Value[]): Promise<FigureAnswers> {
  const { viewing, revisions } = burst;
  const perFigure: { name: string; answer: (value: Value) => FigureResult }[] = [];
  for (const figure of viewing.page.figures) {
    if (figure.kind === 'text') continue;
    const revision = revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;
    const { visible } = commonFilter(burst, revision.shape, figure);
    const query = planFigureQuery(viewing.report, figure, visible);
    const column = partitionColumn(burst, revision.shape);
    if (column === undefined) {
      const filter = commonFilter(burst, revision.shape, figure);
      const whole = await readFigure(app, { lane: 'planned', revision, filter }, query);
      perFigure.push({ name: figure.name, answer: () => whole });
      continue;
    }
    const filter = filterFor(burst, revision.shape, values, figure);
    const by = { kind: 'column', type: 'text', column } as const;
    const results = await readFigurePerValue(app, { lane: 'planned', revision, filter }, query, by);
    // A figure whose own filter leaves a recipient nothing still stands on the page, empty.
    const empty: FigureResult = { columns: resultColumns(query), rows: [] };
    perFigure.push({ name: figure.name, answer: (value) => results.get(value) ?? empty });
  }
  return (value) => new Map(perFigure.map(({ name, answer }) => [name, answer(value)]));
}

/** One recipient's page as PDF. */
export async function renderCopy(
  app: App,
  burst: PreparedBurst,
  value: Value,
  results: Map<string, FigureResult>,
): Promise<Buffer> {
  const { viewing, rowRevision } = burst;
  const parts = filterFor(burst, rowRevision.shape, [value]).parts.filter((part) => part.origin !== 'record rule');
  return renderPdf(
    {
      title: viewing.report.title,
      page: viewing.page,
      results,
      taste: { locale: app.settings.locale, timeZone: app.settings.timeZone },
      limits: parts.map((part) => part.words ?? explainInWords(part.node)),
      dataAsOf: rowRevision.loadedAt.getTime(),
    },
    printFonts(),
  );
}
