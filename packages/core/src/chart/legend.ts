import type { ChartFigure, FigureResult } from '../report/index.ts';
import type { ThemeTokens } from '../theme/index.ts';
import { readSeries } from './series.ts';

export interface LegendEntry {
  readonly name: string;
  readonly colour: string;
}

/** What the colours of a chart stand for; nothing where there is only one. */
export function chartLegend(figure: ChartFigure, result: FigureResult, theme: ThemeTokens): LegendEntry[] {
  if (
    figure.kind === 'scatter' ||
    figure.hide?.includes('legend') ||
    figure.each !== undefined ||
    result.rows.length === 0
  )
    return [];
  const { series } = readSeries(figure, result);
  const entries = series.map(({ name }, i) => ({ name, colour: theme.series[i % theme.series.length]! }));
  const earlier = result.before?.words ?? result.notCompared;
  const all = earlier === undefined ? entries : [...entries, { name: earlier, colour: theme.faded }];
  return all.length > 1 ? all : [];
}
