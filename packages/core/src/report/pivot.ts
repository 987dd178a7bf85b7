import type { Cell } from '../filter/index.ts';
import type { CrosstabFigure } from './definition.ts';
import { crosstabRows, type ResultColumn } from './figureQuery.ts';
import type { FigureResult } from './result.ts';

/** A crosstab laid out: what stands down, what stands across, and a cell where they meet. */
export interface Crosstab {
  readonly rowColumns: readonly ResultColumn[];
  readonly across: ResultColumn;
  readonly measure: ResultColumn;
  readonly heads: readonly Cell[];
  readonly lines: readonly {
    readonly keys: readonly Cell[];
    readonly cells: readonly (Cell | undefined)[];
    /** Row of the answer behind each cell, for its colour. */
    readonly sources: readonly (number | undefined)[];
    readonly total?: Cell;
  }[];
  readonly foot?: readonly (Cell | undefined)[];
  readonly grand?: Cell;
  /** Lines or heads were left out. */
  readonly isCut: boolean;
}

const maxHeads = 60;
const keyOf = (cells: readonly (Cell | undefined)[]) => JSON.stringify(cells);

/** Lays the long answer of a crosstab out. */
export function pivot(figure: CrosstabFigure, result: FigureResult): Crosstab {
  const depth = result.columns.filter((one) => one.role === 'group').length - 1;
  const all = [...new Set(result.rows.map((row) => row[depth] ?? null))].sort(compareCells);
  const heads = all.slice(0, maxHeads);
  const rowNames = result.columns.slice(0, depth).map((one) => one.name);
  const byRows = result.sums?.find((one) => keyOf(one.by) === keyOf(rowNames));
  const rowTotals = new Map((byRows?.rows ?? []).map((row) => [keyOf(row.slice(0, depth)), row[depth + 1]]));
  const across = result.sums?.find((one) => one.by.length === 1 && one.by[0] === result.columns[depth]!.name);
  const foot = new Map((across?.rows ?? []).map((row) => [keyOf([row[depth]]), row[depth + 1]]));
  const lines = new Map<
    string,
    { keys: Cell[]; cells: (Cell | undefined)[]; sources: (number | undefined)[]; total?: Cell }
  >();
  result.rows.forEach((row, index) => {
    const keys = row.slice(0, depth);
    const key = keyOf(keys);
    const line = lines.get(key) ?? {
      keys,
      cells: [],
      sources: [],
      ...(rowTotals.has(key) ? { total: rowTotals.get(key)! } : {}),
    };
    lines.set(key, line);
    const at = heads.indexOf(row[depth] ?? null);
    if (at < 0) return;
    line.cells[at] = row[depth + 1]!;
    line.sources[at] = index;
  });
  const shown = [...lines.values()].slice(0, crosstabRows(figure));
  const grand = result.sums?.find((one) => one.by.length === 0)?.rows[0]?.[depth + 1];
  return {
    rowColumns: result.columns.slice(0, depth),
    across: result.columns[depth]!,
    measure: result.columns[depth + 1]!,
    heads,
    lines: shown,
    ...(across ? { foot: heads.map((head) => foot.get(keyOf([head]))) } : {}),
    ...(grand === undefined ? {} : { grand }),
    isCut: heads.length < all.length || shown.length < lines.size || result.isCut === true,
  };
}

function compareCells(one: Cell, other: Cell): number {
  if (one === null || other === null) return one === other ? 0 : one === null ? 1 : -1;
  return one < other ? -1 : one > other ? 1 : 0;
}
