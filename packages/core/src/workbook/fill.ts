import type { ValueType } from '../dataset/index.ts';
import type { Cell } from '../filter/index.ts';
import { suggest } from '../refusal/index.ts';
import { cellXml, letters } from './ooxml.ts';
import { packParts } from './pack.ts';
import { unfit } from './parts.ts';
import { lastRowPlaceholder, moveDown, rowsPlaceholder, sumRowPlaceholder } from './ranges.ts';
import { contentBytes, type WorkbookTemplate } from './template.ts';
import type { TemplateColumn } from '../template/index.ts';

/** A column of the data as it is offered to a template. */
export interface OfferedColumn {
  readonly name: string;
  readonly label?: string;
  readonly unit?: string;
  readonly type: ValueType;
}

/** How a template and the data fit together. */
export interface TemplateFit {
  /** Heading of the template -> index of the data's column. */
  readonly filled: ReadonlyMap<TemplateColumn, number>;
  readonly computed: readonly string[];
  /** Columns of the template that stay empty, for people to write in. */
  readonly left: readonly string[];
  /** Columns of the data that the template has no place for. */
  readonly unused: readonly string[];
}

const fold = (text: string) => text.trim().toLowerCase();

/**
 * Matches a template's headings with the names or labels of the data's columns.
 *
 * @throws {Refusal} `TEMPLATE_INVALID`: a column in which its author had values has no counterpart, or none has
 */
export function fitTemplate(template: WorkbookTemplate, columns: readonly OfferedColumn[]): TemplateFit {
  const known = new Map<string, number>();
  columns.forEach(({ name, label, unit }, i) => {
    for (const one of [name, label, label && unit ? `${label} (${unit})` : undefined])
      if (one !== undefined && !known.has(fold(one))) known.set(fold(one), i);
  });
  const filled = new Map<TemplateColumn, number>();
  const left: string[] = [];
  for (const column of template.columns) {
    const index = known.get(fold(column.heading));
    if (column.isComputed) continue;
    if (index !== undefined) filled.set(column, index);
    else if (!column.isHeld) left.push(column.heading);
    else
      throw unfit(`Column “${column.heading}” of the template is not in the data.`, {
        word: column.heading,
        ...suggest(
          column.heading,
          columns.flatMap(({ name, label }) => (label ? [label, name] : [name])),
        ),
      });
  }
  if (filled.size === 0)
    throw unfit('No heading of the template is in the data.', {
      hint: `Possible headings: ${columns.map(({ name, label }) => label ?? name).join(', ')}`,
    });
  const taken = new Set(filled.values());
  return {
    filled,
    computed: template.columns.filter((one) => one.isComputed).map((one) => one.heading),
    left,
    unused: columns.filter((_, i) => !taken.has(i)).map(({ name, label }) => label ?? name),
  };
}

/**
 * Fills a template with rows; everything that does not depend on them keeps its bytes.
 *
 * @param rows - at least one; cells in the order of `columns`
 * @returns the bytes of the workbook; equal input gives equal bytes
 */
export function fillWorkbook(
  template: WorkbookTemplate,
  fit: TemplateFit,
  columns: readonly OfferedColumn[],
  rows: readonly (readonly Cell[])[],
): Buffer {
  const { block, rowStyle } = template;
  const writers = template.columns.map((column) => {
    const at = rowStyle.cells.get(column.column);
    const name = letters(column.column);
    const style = Number(at?.style ?? 0);
    const s = style === 0 ? '' : ` s="${style}"`;
    const index = fit.filled.get(column);
    if (at?.formula !== undefined) {
      const { formula } = at;
      // A formula that names no cells is the same in every row.
      if (moveDown(formula, 1) === formula) return (row: number) => `<c r="${name}${row}"${s}><f>${formula}</f></c>`;
      return (row: number) => `<c r="${name}${row}"${s}><f>${moveDown(formula, row - block.headingRow - 1)}</f></c>`;
    }
    if (index === undefined) return (row: number) => (s === '' ? '' : `<c r="${name}${row}"${s}/>`);
    const { type } = columns[index]!;
    return (row: number, cells: readonly Cell[]) => cellXml(`${name}${row}`, cells[index], type, style);
  });
  const lines = rows.map((cells, i) => {
    const row = block.headingRow + 1 + i;
    return `<row r="${row}"${rowStyle.attributes}>${writers.map((write) => write(row, cells)).join('')}</row>`;
  });
  const lastRow = block.headingRow + rows.length;
  const resolve = (text: string) =>
    text
      .replaceAll(lastRowPlaceholder, String(lastRow))
      .replaceAll(sumRowPlaceholder, String(lastRow + 1))
      .replace(rowsPlaceholder, () => lines.join(''));
  return packParts(
    template.parts.map(({ name, content }) => [
      name,
      contentBytes(typeof content === 'string' ? resolve(content) : content),
    ]),
  );
}
