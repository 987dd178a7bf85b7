import { decodeXML } from 'entities';
/** Cells from one corner to the other; rows and columns count from 1. */
export interface CellRange {
  readonly firstRow: number;
  readonly lastRow: number;
  readonly firstColumn: number;
  readonly lastColumn: number;
}

/** The number of a column: A is 1, AA is 27. */
export function columnNumber(name: string): number {
  return [...name.toUpperCase()].reduce((sum, one) => sum * 26 + one.charCodeAt(0) - 64, 0);
}

/** Reads `B2` or `A1:F40`, with or without `$`; undefined for anything else. */
export function readRange(text: string): CellRange | undefined {
  const match = /^\$?([A-Z]{1,3})\$?(\d{1,7})(?::\$?([A-Z]{1,3})\$?(\d{1,7}))?$/i.exec(text.trim());
  if (!match) return undefined;
  const [, left, top, right = left, bottom = top] = match;
  return {
    firstRow: Number(top),
    lastRow: Number(bottom),
    firstColumn: columnNumber(left!),
    lastColumn: columnNumber(right!),
  };
}

export function isWithin(row: number, column: number, range: CellRange): boolean {
  return row >= range.firstRow && row <= range.lastRow && column >= range.firstColumn && column <= range.lastColumn;
}

export const overlaps = (a: CellRange, b: CellRange): boolean =>
  a.firstRow <= b.lastRow && b.firstRow <= a.lastRow && a.firstColumn <= b.lastColumn && b.firstColumn <= a.lastColumn;

/** Stands in prepared text for the last row of data; no XML text can hold these characters. */
export const lastRowPlaceholder = '\u0001';
/** Stands for the row of sums below the data. */
export const sumRowPlaceholder = '\u0002';
/** Stands for the rows themselves. */
export const rowsPlaceholder = '\u0003';

/** The block of rows that a template's data stands in. */
export interface DataBlock {
  readonly sheet: string;
  readonly headingRow: number;
  readonly lastRow: number;
  /** The row of sums below it, where there is one. */
  readonly sumRow: number | undefined;
}

const reference =
  /("(?:[^"]|"")*"|&quot;(?:(?!&quot;).)*&quot;)|(?<![\p{L}\p{N}_.[])((?:'(?:[^']|'')+'|[\p{L}_\\][\p{L}\p{N}_.\\]*)!)?(\$?[A-Z]{1,3})(\$?)(\d{1,7})(?::(\$?[A-Z]{1,3})(\$?)(\d{1,7}))?(?![\p{L}\p{N}_(!])/gu;

/**
 * Lets references to the data grow with it: a range that ends in its last row ends in the new last row.
 *
 * @param formula - escaped as it stands in the part
 * @param isOnSheet - whether a reference without a sheet means the sheet of the data
 * @param onOther - told of references into the data that cannot follow it
 */
export function growReferences(
  formula: string,
  block: DataBlock,
  isOnSheet: boolean,
  onOther: (reference: string) => void = () => undefined,
): string {
  return formula.replace(
    reference,
    (all: string, quoted: string | undefined, sheet: string | undefined, ...rest: (string | undefined)[]) => {
      const [left, topPlaceholder, top, right, bottomPlaceholder, bottom] = rest;
      if (quoted !== undefined) return all;
      const named = sheet === undefined ? undefined : decodeXML(sheet.slice(0, -1)).replace(/^'|'$/g, '');
      const isData =
        named === undefined ? isOnSheet : named.replaceAll("''", "'").toLowerCase() === block.sheet.toLowerCase();
      if (!isData) return all;
      const mark = (row: number) =>
        row === block.lastRow ? lastRowPlaceholder : row === block.sumRow ? sumRowPlaceholder : undefined;
      if (bottom === undefined) {
        // Sums move with the end of the data; a single cell in the data itself stays where it points.
        return Number(top) === block.sumRow ? `${sheet ?? ''}${left}${topPlaceholder}${sumRowPlaceholder}` : all;
      }
      const isInData = Number(top) >= block.headingRow && Number(top) <= block.lastRow;
      const end = mark(Number(bottom));
      if (isInData && end !== undefined)
        return `${sheet ?? ''}${left}${topPlaceholder}${top}:${right}${bottomPlaceholder}${end}`;
      if (isInData && Number(bottom) > block.headingRow) onOther(decodeXML(all));
      return all;
    },
  );
}

/** Moves a formula's relative rows, as filling down does. */
export function moveDown(formula: string, rows: number): string {
  if (rows === 0) return formula;
  return formula.replace(
    reference,
    (all: string, quoted: string | undefined, sheet: string | undefined, ...rest: (string | undefined)[]) => {
      const [left, topPlaceholder, top, right, bottomPlaceholder, bottom] = rest;
      if (quoted !== undefined) return all;
      const moved = (mark: string | undefined, row: string) => (mark === '$' ? `$${row}` : String(Number(row) + rows));
      const start = `${sheet ?? ''}${left}${moved(topPlaceholder, top!)}`;
      return bottom === undefined ? start : `${start}:${right}${moved(bottomPlaceholder, bottom)}`;
    },
  );
}
