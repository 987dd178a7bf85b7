import { formatCell, formatStep, type FormatOptions } from '../format/index.ts';
import type { Cell } from '../filter/index.ts';
import {
  pivot,
  type CrosstabFigure,
  type Figure,
  type FigureResult,
  type ResultColumn,
  type TableFigure,
  type Tone,
} from '../report/index.ts';

export interface TextCell {
  readonly text: string;
  readonly tone?: Tone;
}

/** A table as texts: what page, print and picture draw alike. */
export interface TextTable {
  readonly headings: readonly {
    readonly text: string;
    readonly unit: string;
    readonly isNumber: boolean;
    readonly name: string;
  }[];
  readonly lines: readonly {
    readonly kind: 'row' | 'sum';
    readonly cells: readonly TextCell[];
    /** What picking the line chooses. */ readonly raw?: Cell;
  }[];
  readonly foot?: readonly TextCell[];
  readonly isCut: boolean;
}

const heading = (column: ResultColumn) => ({
  text: column.label,
  unit: column.unit ?? '',
  isNumber: column.type === 'number',
  name: column.name,
});
const nothing: TextCell = { text: '' };

function toneOf(result: FigureResult, row: number, column: number): Tone | undefined {
  return result.tones?.find((one) => one.row === row && (one.column === undefined || one.column === column))?.tone;
}

function lineOf(
  result: FigureResult,
  row: readonly Cell[],
  index: number | undefined,
  taste: FormatOptions,
): TextCell[] {
  return result.columns.map((column, i) => {
    const tone = index === undefined ? undefined : toneOf(result, index, i);
    return { text: formatCell(row[i], column, taste), ...(tone ? { tone } : {}) };
  });
}

/** A sum line says what it sums up in the first column that it does not group by. */
function sumLine(result: FigureResult, row: readonly Cell[], by: readonly string[], taste: FormatOptions): TextCell[] {
  const words = by.length === 0 ? 'Total' : 'Sum';
  const groups = result.columns.filter((one) => one.role === 'group');
  return result.columns.map((column, i) => {
    if (column.role === 'measure') return { text: formatCell(row[i], column, taste) };
    if (by.includes(column.name)) return { text: formatCell(row[i], column, taste) };
    return column === groups[by.length] ? { text: words } : nothing;
  });
}

function tableLines(figure: TableFigure, result: FigureResult, taste: FormatOptions): TextTable {
  const levels = (result.sums ?? []).filter((one) => one.by.length > 0).sort((a, b) => b.by.length - a.by.length);
  const key = (row: readonly Cell[], count: number) => JSON.stringify(row.slice(0, count));
  const sums = levels.map(({ by, rows }) => ({ by, rows: new Map(rows.map((row) => [key(row, by.length), row])) }));
  const lines: TextTable['lines'][number][] = [];
  result.rows.forEach((row, index) => {
    lines.push({
      kind: 'row',
      cells: lineOf(result, row, index, taste),
      ...(figure.measures?.length ? { raw: row[0] ?? null } : {}),
    });
    const next = result.rows[index + 1];
    for (const { by, rows } of sums) {
      if (next && key(next, by.length) === key(row, by.length)) continue;
      const sum = rows.get(key(row, by.length));
      // The last group of a cut answer goes on: its sum line would stand too early.
      if (sum && (next || !result.isCut)) lines.push({ kind: 'sum', cells: sumLine(result, sum, by, taste) });
    }
  });
  const total = result.sums?.find((one) => one.by.length === 0)?.rows[0];
  return {
    headings: result.columns.map(heading),
    lines,
    ...(total ? { foot: sumLine(result, total, [], taste) } : {}),
    isCut: result.isCut === true,
  };
}

/** There is little room above a column of figures. */
const headText = (head: Cell, column: ResultColumn, taste: FormatOptions) =>
  column.type === 'date' && typeof head === 'string'
    ? formatStep(head, column.step, taste.locale, 'axis')
    : formatCell(head, column, taste);

function crosstabLines(figure: CrosstabFigure, result: FigureResult, taste: FormatOptions): TextTable {
  const table = pivot(figure, result);
  const { measure, rowColumns, across, heads } = table;
  const hasTotals = table.lines.some((line) => line.total !== undefined);
  const value = (cell: Cell | undefined): TextCell =>
    cell === undefined ? nothing : { text: formatCell(cell, measure, taste) };
  return {
    headings: [
      ...rowColumns.map(heading),
      ...heads.map((head) => ({ text: headText(head, across, taste), unit: '', isNumber: true, name: '' })),
      ...(hasTotals ? [{ text: 'Total', unit: '', isNumber: true, name: '' }] : []),
    ],
    lines: table.lines.map((line) => ({
      kind: 'row',
      raw: line.keys[0] ?? null,
      cells: [
        ...line.keys.map((key, i) => ({ text: formatCell(key, rowColumns[i]!, taste) })),
        ...heads.map((_, i) => {
          const source = line.sources[i];
          const tone = source === undefined ? undefined : toneOf(result, source, rowColumns.length + 1);
          return { ...value(line.cells[i]), ...(tone ? { tone } : {}) };
        }),
        ...(hasTotals ? [value(line.total)] : []),
      ],
    })),
    ...(table.foot
      ? {
          foot: [
            { text: 'Total' },
            ...rowColumns.slice(1).map(() => nothing),
            ...table.foot.map(value),
            ...(hasTotals ? [value(table.grand)] : []),
          ],
        }
      : {}),
    isCut: table.isCut,
  };
}

/** Any answer as a table of texts; a chart's is its data. */
export function textTable(figure: Figure, result: FigureResult, taste: FormatOptions): TextTable {
  if (figure.kind === 'crosstab' && result.columns.length > 0) return crosstabLines(figure, result, taste);
  if (figure.kind === 'table') return tableLines(figure, result, taste);
  const others = result.others;
  const rows = others ? [...result.rows, others] : result.rows;
  return {
    headings: result.columns.map(heading),
    lines: rows.map((row, index) => ({
      kind: 'row',
      cells: lineOf(result, row, index, taste).map((cell, i) =>
        row === others && i === 0 ? { text: 'Others' } : cell,
      ),
    })),
    isCut: result.isCut === true,
  };
}
