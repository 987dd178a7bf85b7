import { unfit, type TextPart } from './parts.ts';
import {
  columnNumber,
  growReferences,
  isWithin,
  overlaps,
  readRange,
  rowsPlaceholder,
  sumRowPlaceholder,
  type CellRange,
  type DataBlock,
} from './ranges.ts';
import { Edits, type Element } from './xmlPart.ts';
import { letters } from './ooxml.ts';

interface SheetCell {
  readonly element: Element;
  readonly row: number;
  readonly column: number;
  readonly formula: Element | undefined;
  /** What it holds besides: `v` or `is`. */
  readonly held: readonly Element[];
}

interface SheetRow {
  readonly element: Element;
  readonly number: number;
  readonly cells: readonly SheetCell[];
}

/** A sheet's rows and cells; positions that the part leaves out are counted. */
export function readSheetRows(part: TextPart): SheetRow[] {
  const kids = new Map<Element, Element[]>();
  for (const one of part.elements) {
    if (!one.parent) continue;
    const known = kids.get(one.parent);
    if (known) known.push(one);
    else kids.set(one.parent, [one]);
  }
  let last = 0;
  return part.elements
    .filter((one) => one.name === 'row' && one.parent?.name === 'sheetData')
    .map((element) => {
      const number = element.attributes['r'] === undefined ? last + 1 : Number(element.attributes['r']);
      last = number;
      let lastColumn = 0;
      const cells = (kids.get(element) ?? [])
        .filter((one) => one.name === 'c')
        .map((cell): SheetCell => {
          const named = /^[A-Z]+/.exec(cell.attributes['r'] ?? '')?.[0];
          const column = named === undefined ? lastColumn + 1 : columnNumber(named);
          lastColumn = column;
          const inner = kids.get(cell) ?? [];
          return {
            element: cell,
            row: number,
            column,
            formula: inner.find((one) => one.name === 'f'),
            held: inner.filter((one) => one.name === 'v' || one.name === 'is'),
          };
        });
      return { element, number, cells };
    });
}

export const isFilled = (cell: SheetCell): boolean => cell.formula !== undefined || cell.held.length > 0;

/** The text that a cell shows; numbers as they are stored. */
export function textOfCell(part: TextPart, cell: SheetCell, shared: readonly string[]): string {
  const [held] = cell.held;
  if (!held) return '';
  const inner = part.text.slice(held.innerStart, held.innerEnd);
  if (cell.element.attributes['t'] === 's') return shared[Number(inner)] ?? '';
  return held.name === 'is' ? inner.replace(/<[^>]*>/g, '') : inner;
}

/** Which sheet is prepared, and what is known about it. */
export interface SheetTask {
  readonly part: TextPart;
  readonly block: DataBlock;
  /** The rectangle of heading, data and sums, where this is the sheet of the data. */
  readonly data: CellRange | undefined;
  /** Cells that pivot tables filled. */
  readonly pivots: readonly CellRange[];
  /** Told of each shared text that stays in use. */
  readonly onText: (index: number) => void;
  readonly onWarning: (warning: string) => void;
  /** For messages. */
  readonly name: string;
}

/** References that stand in attributes, by element. */
const referring: Readonly<Record<string, string>> = {
  conditionalFormatting: 'sqref',
  dataValidation: 'sqref',
  protectedRange: 'sqref',
  ignoredError: 'sqref',
  autoFilter: 'ref',
};
/** Elements whose text is a formula. */
const formulas = new Set(['formula', 'formula1', 'formula2', 'sqref']);

/** Takes out what the author's data left on a sheet, and marks where the rows go. @throws {Refusal} `TEMPLATE_INVALID` */
export function prepareSheet(task: SheetTask): string {
  const { part, block, data, pivots } = task;
  const edits = new Edits(part.text);
  const grow = (text: string) =>
    growReferences(text, block, data !== undefined, (reference) =>
      task.onWarning(
        `The range ${reference} on sheet “${task.name}” does not end with the data: it stays unchanged for every number of rows.`,
      ),
    );
  const rows = readSheetRows(part);
  const isData = (row: number) => data !== undefined && row > block.headingRow && row <= block.lastRow;
  const spilled = rows.flatMap(({ cells }) =>
    cells.flatMap(({ formula }) => {
      const range = formula?.attributes['t'] === undefined ? undefined : readRange(formula.attributes['ref'] ?? '');
      return range && ['array', 'dataTable'].includes(formula!.attributes['t']!) ? [range] : [];
    }),
  );
  const emptied = [...pivots, ...spilled];
  for (const row of rows) {
    if (isData(row.number)) {
      edits.remove(row.element);
      continue;
    }
    const isSum = data !== undefined && row.number === block.sumRow;
    if (isSum) edits.setAttributes(row.element, { r: sumRowPlaceholder });
    for (const cell of row.cells) prepareCell(cell, { edits, part, grow, emptied, isSum, onText: task.onText });
  }
  if (data) placeRows(task, data, rows, edits);
  for (const one of part.elements) {
    if (one.name === 'dimension') edits.remove(one);
    const attribute = referring[one.name];
    const found = attribute === undefined ? undefined : one.attributes[attribute];
    if (found !== undefined && data) {
      const grown = found.split(/\s+/).map(grow).join(' ');
      if (grown !== found) edits.setAttributes(one, { [attribute!]: grown });
    }
    if (one.name === 'filterColumn' || one.name === 'sortState') edits.remove(one);
    if (formulas.has(one.name) && one.parent?.name !== 'sheetView') {
      const inner = part.text.slice(one.innerStart, one.innerEnd);
      edits.replace(one.innerStart, one.innerEnd, grow(inner));
    }
    // Sparklines keep their formulas in an element of their own.
    if (one.name === 'f' && one.parent?.name !== 'c')
      edits.replace(one.innerStart, one.innerEnd, grow(part.text.slice(one.innerStart, one.innerEnd)));
  }
  return edits.apply();
}

interface CellTask {
  readonly edits: Edits;
  readonly part: TextPart;
  readonly grow: (text: string) => string;
  readonly emptied: readonly CellRange[];
  readonly isSum: boolean;
  readonly onText: (index: number) => void;
}

/** Leaves what the author wrote in a cell; what was computed from the author's rows goes. */
function prepareCell(cell: SheetCell, { edits, part, grow, emptied, isSum, onText }: CellTask): void {
  const { element, formula, held } = cell;
  const isComputed = formula !== undefined || emptied.some((range) => isWithin(cell.row, cell.column, range));
  const changes: Record<string, string | undefined> = {};
  if (isSum) changes['r'] = `${letters(cell.column)}${sumRowPlaceholder}`;
  if (isComputed) {
    for (const one of held) edits.remove(one);
    if (element.attributes['t'] !== undefined) changes['t'] = undefined;
  } else if (element.attributes['t'] === 's' && held[0]) {
    onText(Number(part.text.slice(held[0].innerStart, held[0].innerEnd)));
  }
  if (Object.keys(changes).length > 0) edits.setAttributes(element, changes);
  if (formula)
    edits.replace(formula.innerStart, formula.innerEnd, grow(part.text.slice(formula.innerStart, formula.innerEnd)));
}

/** Marks where the rows go, and refuses what could not stay beside or below them. */
function placeRows(task: SheetTask, data: CellRange, rows: readonly SheetRow[], edits: Edits): void {
  const { part, block, name } = task;
  const beside = rows
    .filter((row) => row.number > block.headingRow && row.number <= (block.sumRow ?? block.lastRow))
    .flatMap((row) => row.cells)
    .find((cell) => isFilled(cell) && !isWithin(cell.row, cell.column, data));
  const below = rows
    .filter((row) => row.number > (block.sumRow ?? block.lastRow))
    .flatMap((row) => row.cells)
    .find(isFilled);
  const stray = beside ?? below;
  if (stray)
    throw unfit(
      `Cell ${letters(stray.column)}${stray.row} on sheet “${name}” is ${beside ? 'next to' : 'below'} the data, where rows are filled in.`,
      { word: `${letters(stray.column)}${stray.row}`, hint: 'Move it above the header or to another sheet.' },
    );
  const rowsRange = { ...data, firstRow: block.headingRow + 1, lastRow: block.lastRow };
  const merged = part.elements.find((one) => {
    const range = one.name === 'mergeCell' ? readRange(one.attributes['ref'] ?? '') : undefined;
    return range !== undefined && overlaps(range, rowsRange);
  });
  if (merged)
    throw unfit(`Merged cells in the data: ${merged.attributes['ref']} on sheet “${name}”.`, {
      word: merged.attributes['ref']!,
      hint: 'part them; every row of a copy is one row',
    });
  for (const one of part.elements) {
    const range = one.name === 'hyperlink' ? readRange(one.attributes['ref'] ?? '') : undefined;
    if (range && overlaps(range, rowsRange)) edits.remove(one);
  }
  const heading = rows.find((row) => row.number === block.headingRow)!;
  edits.replace(heading.element.end, heading.element.end, rowsPlaceholder);
}

/** How the rows of a template look: by the first of them. */
export interface RowStyle {
  /** Attributes of the row, ready to be written. */
  readonly attributes: string;
  readonly cells: ReadonlyMap<number, { readonly style: string; readonly formula?: string; readonly isHeld: boolean }>;
}

/** Reads how the first row of data looks, and which of its columns are calculated. */
export function readRowStyle(part: TextPart, block: DataBlock, calculated: ReadonlyMap<number, string>): RowStyle {
  const rows = readSheetRows(part).filter((row) => row.number > block.headingRow && row.number <= block.lastRow);
  const first = rows.find((row) => row.number === block.headingRow + 1);
  const attributes = ['s', 'customFormat', 'ht', 'customHeight']
    .filter((one) => first?.element.attributes[one] !== undefined)
    .map((one) => ` ${one}="${first!.element.attributes[one]!}"`)
    .join('');
  const held = new Set(rows.flatMap((row) => row.cells.filter(isFilled).map((cell) => cell.column)));
  const columns = new Set([...held, ...calculated.keys(), ...(first?.cells ?? []).map((cell) => cell.column)]);
  const cells = new Map(
    [...columns].map((column) => {
      const cell = first?.cells.find((one) => one.column === column);
      const own = cell?.formula && part.text.slice(cell.formula.innerStart, cell.formula.innerEnd);
      const formula = own || calculated.get(column);
      const cellStyle = { style: cell?.element.attributes['s'] ?? '0', isHeld: held.has(column) };
      return [column, formula ? { ...cellStyle, formula } : cellStyle] as const;
    }),
  );
  return { attributes, cells };
}
