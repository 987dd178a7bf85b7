import { formatCell, formatNumber, type FormatOptions } from '../format/index.ts';
import type { FigureResult, NumberFigure, ResultColumn, Tone } from '../report/index.ts';

/** What a number figure shows, ready to be drawn. */
export interface NumberText {
  readonly value: string;
  readonly unit: string;
  readonly tone?: Tone;
  readonly beside?: string;
  readonly comparison?: { readonly text: string; readonly sign: '▲' | '▼' | '=' | ''; readonly tone?: Tone };
}

const isShare = (column: ResultColumn) => column.format?.includes('%') === true;

/** How far apart two values are, as people say it: shares in points, the rest in per cent. */
function distance(value: number, other: number, column: ResultColumn, locale: string): string {
  if (isShare(column)) return `${formatNumber(Math.abs(value - other) * 100, '#,##0.0', locale)} points`;
  if (other === 0) return formatNumber(Math.abs(value - other), column.format, locale);
  return `${formatNumber(Math.abs((value - other) / other) * 100, '#,##0.0', locale)} %`;
}

function compare(figure: NumberFigure, result: FigureResult, taste: FormatOptions): NumberText['comparison'] {
  const { compare: rule } = figure;
  const column = result.columns[0];
  const value = result.rows[0]?.[0];
  if (!rule || !column || typeof value !== 'number') return undefined;
  const isTarget = rule.with === 'target';
  const targetAt =
    isTarget && typeof rule.target === 'string' ? result.columns.findIndex((one) => one.name === rule.target) : -1;
  const other = isTarget
    ? typeof rule.target === 'number'
      ? rule.target
      : result.rows[0]?.[targetAt]
    : result.before?.rows[0]?.[0];
  if (typeof other !== 'number') {
    const why = result.notCompared ?? (result.before ? `nothing to compare with in ${result.before.words}` : undefined);
    return isTarget || why === undefined ? undefined : { text: why, sign: '' };
  }
  const sign = value === other ? '=' : value > other ? '▲' : '▼';
  const isBetter = (rule.better ?? 'more') === 'more' ? value > other : value < other;
  // A target that is met is met; against an earlier period only a difference is good or bad.
  const tone: Tone | undefined = value === other ? (isTarget ? 'good' : undefined) : isBetter ? 'good' : 'bad';
  const far = distance(value, other, column, taste.locale);
  const place = isTarget ? `target of ${formatCell(other, column, taste)}` : (result.before?.words ?? '');
  // What rounds to nothing is a difference all the same, and no number that says there is none.
  const isSlight = !/[1-9]/.test(far);
  const text =
    value === other
      ? isTarget
        ? `the ${place}`
        : `as in ${place}`
      : isTarget
        ? `${isSlight ? 'just' : far} ${value > other ? 'over' : 'under'} the ${place}`
        : `${isSlight ? 'slightly' : far} ${value > other ? 'more' : 'less'} than ${place}`;
  return { text, sign, ...(tone ? { tone } : {}) };
}

/** The texts of a number figure. */
export function numberText(figure: NumberFigure, result: FigureResult, taste: FormatOptions): NumberText {
  const column = result.columns[0];
  const besideAt = figure.beside === undefined ? -1 : result.columns.findIndex((one) => one.name === figure.beside);
  const beside = result.columns[besideAt];
  const tone = result.tones?.[0]?.tone;
  const comparison = compare(figure, result, taste);
  return {
    value: column ? formatCell(result.rows[0]?.[0], column, taste) : '–',
    unit: column?.unit ?? '',
    ...(tone ? { tone } : {}),
    ...(beside
      ? {
          beside: `${beside.label} ${formatCell(result.rows[0]?.[besideAt], beside, taste)}${beside.unit ? ` ${beside.unit}` : ''}`,
        }
      : {}),
    ...(comparison ? { comparison } : {}),
  };
}

const trendPad = 2;

/**
 * A small trend line in a box, as SVG paths; empty where there is none to draw.
 *
 * @returns the line between whole periods, and the stretches to those at its ends that are incomplete
 */
export function trendPaths(
  { trend, incomplete = [] }: Pick<FigureResult, 'trend' | 'incomplete'>,
  width: number,
  height: number,
): { readonly whole: string; readonly incomplete: string } {
  const rows = (trend?.rows ?? []).filter((row) => typeof row[1] === 'number');
  if (rows.length < 2 || height <= 0) return { whole: '', incomplete: '' };
  const values = rows.map((row) => row[1] as number);
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const range = most - least || 1;
  const points = values.map((value, i) => {
    const x = trendPad + (i / (values.length - 1)) * (width - 2 * trendPad);
    const y = height - trendPad - ((value - least) / range) * (height - 2 * trendPad);
    return `${x.toFixed(1)} ${y.toFixed(1)}`;
  });
  const isWhole = rows.map((row) => !incomplete.includes(row[0] as string));
  const path = (from: number, to: number) => (to - from < 2 ? '' : `M${points.slice(from, to).join('L')}`);
  const from = isWhole[0] ? 0 : 1;
  const to = isWhole.at(-1) ? points.length : points.length - 1;
  const left = from === 0 ? '' : path(0, 2);
  // Of two periods that are both incomplete there is one stretch.
  const right =
    to === points.length || (points.length === 2 && left !== '') ? '' : path(points.length - 2, points.length);
  return { whole: path(from, to), incomplete: left + right };
}
