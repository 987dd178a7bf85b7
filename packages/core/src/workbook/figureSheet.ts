import type { DataFigure, FigureResult, ResultColumn } from '../report/index.ts';
import { readFilter, writeFilter } from '../filter/index.ts';
import type { Highlight, Sheet } from './sheet.ts';

/** What stands over a column of an answer. */
export const heading = ({ label, unit }: ResultColumn) => (unit ? `${label} (${unit})` : label);

const compared: ReadonlySet<string> = new Set(['=', '<>', '<', '<=', '>', '>=']);

/** Colour rules that compare one column with a number, as a workbook goes on applying them; the others are left out. */
function highlightsOf(figure: DataFigure, columns: readonly ResultColumn[]): Highlight[] {
  return ('colours' in figure ? (figure.colours ?? []) : []).flatMap(({ when, tone, column: shown }) => {
    const node = readFilter(when);
    const [left, right] = node.kind === 'operation' && compared.has(node.op) ? node.args : [];
    if (node.kind !== 'operation' || left?.kind !== 'column' || right?.kind !== 'number') return [];
    const column = columns.findIndex((one) => one.name === left.name);
    const at = shown === undefined ? undefined : columns.findIndex((one) => one.name === shown);
    if (column < 0 || at === -1) return [];
    const value = Number(writeFilter(right));
    return [{ column, op: node.op as Highlight['op'], value, tone, ...(at === undefined ? {} : { shown: at }) }];
  });
}

/** An answer with a column of the earlier period that its figure is compared with. */
function withEarlier(figure: DataFigure, result: FigureResult): FigureResult {
  const { columns, rows, before } = result;
  const isBar = figure.kind === 'bar';
  const measure = columns[isBar ? 1 : 0];
  if (!before || !measure || (!isBar && figure.kind !== 'number')) return result;
  const known = new Map(before.rows.map((row) => [isBar ? row[0] : undefined, row[isBar ? 1 : 0] ?? null]));
  const { calculation: _, ...bare } = measure;
  const column: ResultColumn = { ...bare, name: `${measure.name}_before`, label: `${measure.label}, ${before.words}` };
  return {
    ...result,
    columns: [...columns, column],
    rows: rows.map((row) => [...row, known.get(isBar ? row[0] : undefined) ?? null]),
  };
}

/** A figure's answer as a sheet of a workbook. */
export function toSheet(figure: DataFigure, result: FigureResult): Sheet {
  const { columns, rows, sums } = withEarlier(figure, result);
  const total = sums?.find((one) => one.by.length === 0)?.rows[0];
  return {
    title: figure.title,
    highlights: highlightsOf(figure, columns),
    columns: columns.map((one) => ({
      heading: heading(one),
      type: one.type,
      ...(one.format ? { format: one.format } : {}),
      ...(one.calculation ? { calculation: one.calculation } : {}),
    })),
    rows: [...rows],
    ...(total ? { total } : {}),
  };
}
