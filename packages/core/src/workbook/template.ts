import { decodeXML } from 'entities';
import type { TemplateColumn, TemplateTarget } from '../template/index.ts';
import type { Unzipped } from 'fflate';
import { suggest } from '../refusal/index.ts';
import { checkParts, openParts, readPart, relationsOf, unfit, type TextPart } from './parts.ts';
import { readRange, type CellRange, type DataBlock } from './ranges.ts';
import {
  dropRelations,
  pivotCells,
  prepareBook,
  prepareChart,
  preparePivotCache,
  preparePivotTable,
  prepareTable,
  prepareTexts,
} from './templateParts.ts';
import { isFilled, prepareSheet, readRowStyle, readSheetRows, textOfCell, type RowStyle } from './templateSheet.ts';
import { childrenOf, Edits } from './xmlPart.ts';

/** A prepared workbook, read once and filled as often as there are copies. */
export interface WorkbookTemplate {
  readonly target: TemplateTarget;
  readonly columns: readonly TemplateColumn[];
  /** What a copy will not be as the author made it, and what stays that the author should look at. */
  readonly warnings: readonly string[];
  readonly block: DataBlock;
  readonly rowStyle: RowStyle;
  /** The part that the rows go into. */
  readonly dataPart: string;
  /** Parts in their order: bytes as they are, or text with marks where the data decides. */
  readonly parts: readonly { readonly name: string; readonly content: Uint8Array | string }[];
}

const droppedPart = (name: string) =>
  /^xl\/pivotCache\/pivotCacheRecords|^xl\/pivotCache\/_rels\/|^xl\/calcChain\.xml$|^docProps\/(custom\.xml|thumbnail\.)/.test(
    name,
  );

const properties =
  '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n' +
  '<cp:coreProperties xmlns:cp="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:creator>Under Bell</dc:creator></cp:coreProperties>';

interface SheetInBook {
  readonly name: string;
  readonly part: string;
  readonly isHidden: boolean;
}

function readSheets(parts: Unzipped, book: TextPart): SheetInBook[] {
  const [root] = book.elements;
  if (
    !root ||
    !/^<workbook[\s>]/.test(book.text.slice(root.start, root.innerStart)) ||
    !root.attributes['xmlns']?.includes('schemas.openxmlformats.org')
  )
    throw unfit('The workbook has a format that cannot be filled.', {
      hint: 'Open it and save it as .xlsx.',
    });
  if (
    book.elements.some((one) => one.name === 'workbookPr' && ['1', 'true'].includes(one.attributes['date1904'] ?? ''))
  )
    throw unfit('The workbook uses the 1904 date system.', {
      hint: 'Turn that off in its settings and save it again.',
    });
  const relations = new Map(relationsOf(parts, book.name).map((one) => [one.id, one]));
  return book.elements
    .filter((one) => one.name === 'sheet' && one.parent?.name === 'sheets')
    .map(({ attributes }) => ({
      name: attributes['name'] ?? '',
      part: relations.get(attributes['r:id'] ?? '')?.target ?? '',
      isHidden: (attributes['state'] ?? 'visible') !== 'visible',
    }))
    .filter((one) => one.part.startsWith('xl/worksheets/'));
}

const excelName = (text: string) =>
  text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, code: string) => String.fromCharCode(Number.parseInt(code, 16)));

interface Found {
  readonly sheet: SheetInBook;
  readonly table: TextPart | undefined;
  readonly range: CellRange;
  readonly block: DataBlock;
  readonly headings: readonly string[];
  /** Column -> formula, where the table says that it is calculated. */
  readonly calculated: ReadonlyMap<number, string>;
}

function tablesOf(parts: Unzipped, sheets: readonly SheetInBook[]) {
  return sheets.flatMap((sheet) =>
    relationsOf(parts, sheet.part)
      .filter((one) => one.kind === 'table' && one.target !== undefined)
      .map((one) => ({ sheet, part: readPart(parts, one.target!) })),
  );
}

function findTable(parts: Unzipped, sheets: readonly SheetInBook[], name: string): Found {
  const tables = tablesOf(parts, sheets).map(({ sheet, part }) => ({ sheet, part, root: part.elements[0]! }));
  const nameOf = ({ root }: (typeof tables)[number]) => root.attributes['displayName'] ?? root.attributes['name'] ?? '';
  const found = tables.find((one) => nameOf(one).toLowerCase() === name.toLowerCase());
  if (!found) {
    const names = tables.map(nameOf);
    throw unfit(`The workbook has no table “${name}”.`, {
      word: name,
      pointer: 'table',
      ...(names.length > 0 ? suggest(name, names) : { hint: 'It has no tables: specify the sheet instead.' }),
    });
  }
  const { sheet, part, root } = found;
  const range = readRange(root.attributes['ref'] ?? '');
  if (!range || root.attributes['headerRowCount'] === '0')
    throw unfit(`Table “${name}” has no header row.`, { word: name });
  const sums = Number(root.attributes['totalsRowCount'] ?? 0);
  const columns = part.elements.filter((one) => one.name === 'tableColumn');
  const calculated = columns.flatMap((one, i) => {
    const formula = childrenOf(part.elements, one).find((child) => child.name === 'calculatedColumnFormula');
    return formula ? [[range.firstColumn + i, part.text.slice(formula.innerStart, formula.innerEnd)] as const] : [];
  });
  return {
    sheet,
    table: part,
    range,
    block: {
      sheet: sheet.name,
      headingRow: range.firstRow,
      lastRow: range.lastRow - sums,
      sumRow: sums > 0 ? range.lastRow : undefined,
    },
    headings: columns.map((one) => excelName(one.attributes['name'] ?? '')),
    calculated: new Map(calculated),
  };
}

function findSheet(parts: Unzipped, sheets: readonly SheetInBook[], name: string, shared: readonly string[]): Found {
  const sheet = sheets.find((one) => one.name.toLowerCase() === name.toLowerCase());
  if (!sheet)
    throw unfit(`The workbook has no sheet “${name}”.`, {
      word: name,
      pointer: 'sheet',
      ...suggest(
        name,
        sheets.map((one) => one.name),
      ),
    });
  const tables = tablesOf(parts, [sheet]);
  if (tables.length > 0)
    throw unfit(`The rows of sheet “${name}” are in a table.`, {
      word: name,
      hint: `Specify the table: ${tables.map(({ part }) => part.elements[0]!.attributes['displayName']).join(', ')}`,
    });
  const part = readPart(parts, sheet.part);
  const rows = readSheetRows(part).map((row) => ({ ...row, cells: row.cells.filter(isFilled) }));
  const heading = rows.find((row) => row.cells.length > 0);
  if (!heading) throw unfit(`Sheet “${name}” has no header.`, { word: name });
  const first = heading.cells[0]!.column;
  const cells = heading.cells.filter((cell, i) => cell.column === first + i);
  const lastRow = Math.max(...rows.filter((row) => row.cells.length > 0).map((row) => row.number));
  return {
    sheet,
    table: undefined,
    range: { firstRow: heading.number, lastRow, firstColumn: first, lastColumn: first + cells.length - 1 },
    block: { sheet: sheet.name, headingRow: heading.number, lastRow, sumRow: undefined },
    headings: cells.map((cell) => textOfCell(part, cell, shared).trim()),
    calculated: new Map(),
  };
}

function sharedTexts(parts: Unzipped): string[] {
  if (!parts['xl/sharedStrings.xml']) return [];
  const part = readPart(parts, 'xl/sharedStrings.xml');
  const texts = part.elements.filter((one) => one.name === 't' && one.parent?.name !== 'rPh');
  const bySi = new Map(part.elements.filter((one) => one.name === 'si').map((one) => [one, '']));
  for (const one of texts) {
    const si = one.parent?.name === 'si' ? one.parent : one.parent?.parent;
    if (si) bySi.set(si, (bySi.get(si) ?? '') + decodeXML(part.text.slice(one.innerStart, one.innerEnd)));
  }
  return [...bySi.values()];
}

/**
 * Reads a prepared workbook: finds where the rows go, takes out everywhere what its author's rows left behind, and
 * leaves all other parts as they are.
 *
 * Purged are: the rows themselves, shared texts that only they used, results of formulas, cells and remembered values
 * of pivot tables, copies of values in charts, chosen filters, the author's name, folder and picture of the first page.
 *
 * @param bytes - an Office Open XML workbook (ECMA-376) without macros
 * @throws {Refusal} `FILE_MALFORMED`, `INPUT_TOO_LARGE`; `TEMPLATE_INVALID` for what cannot be filled or sent safely
 */
export function readTemplate(bytes: Uint8Array, target: TemplateTarget): WorkbookTemplate {
  const parts = openParts(bytes);
  if (!parts['xl/workbook.xml']) throw unfit('The file is not a workbook.', { hint: 'Save it as .xlsx.' });
  checkParts(parts);
  const warnings = new Set<string>();
  const warn = (warning: string) => void warnings.add(warning);
  const book = readPart(parts, 'xl/workbook.xml');
  const sheets = readSheets(parts, book);
  const shared = sharedTexts(parts);
  const found =
    'table' in target ? findTable(parts, sheets, target.table) : findSheet(parts, sheets, target.sheet, shared);
  const { block, range } = found;
  const content = new Map<string, string>();

  // Pivot tables lie on sheets: where they stood is emptied with the sheet.
  const pivots = new Map<string, CellRange[]>();
  for (const sheet of sheets) {
    const tables = relationsOf(parts, sheet.part).filter((one) => one.kind === 'pivotTable');
    pivots.set(
      sheet.part,
      tables.flatMap((one) => pivotCells(readPart(parts, one.target!))),
    );
  }
  const used = new Set<number>();
  for (const sheet of sheets) {
    const isData = sheet === found.sheet;
    const task = {
      part: readPart(parts, sheet.part),
      name: sheet.name,
      block,
      data: isData ? range : undefined,
      pivots: pivots.get(sheet.part)!,
      onText: (index: number) => void used.add(index),
      onWarning: warn,
    };
    content.set(sheet.part, prepareSheet(task));
    if (!isData && sheet.isHidden) warn(`The hidden sheet “${sheet.name}” is sent with its content.`);
  }
  for (const name of Object.keys(parts)) {
    if (droppedPart(name)) continue;
    const change = preparePart(parts, name, { found, used, warn, book });
    if (change !== undefined) content.set(name, change);
  }
  if (Object.keys(parts).some((one) => one.startsWith('xl/media/')))
    warn('Images are sent unchanged: check that none of them shows data.');
  if (Object.keys(parts).some((one) => /comments/i.test(one)))
    warn('Comments are sent with the names of their authors.');
  const dataSheet = readPart(parts, found.sheet.part);
  const rowStyle = readRowStyle(dataSheet, block, found.calculated);
  return {
    target,
    columns: found.headings.map((heading, i) => {
      const at = rowStyle.cells.get(range.firstColumn + i);
      return {
        heading,
        column: range.firstColumn + i,
        isComputed: at?.formula !== undefined,
        isHeld: at?.isHeld ?? false,
      };
    }),
    warnings: [...warnings],
    block,
    rowStyle,
    dataPart: found.sheet.part,
    parts: Object.keys(parts)
      .filter((name) => !droppedPart(name))
      .map((name) => ({ name, content: content.get(name) ?? parts[name]! })),
  };
}

interface PartTask {
  readonly found: Found;
  readonly used: ReadonlySet<number>;
  readonly warn: (warning: string) => void;
  readonly book: TextPart;
}

/** A part's new text; undefined where it stays as it is, to the byte. */
function preparePart(parts: Unzipped, name: string, { found, used, warn, book }: PartTask): string | undefined {
  const { block, range } = found;
  const part = () => readPart(parts, name);
  if (name === found.table?.name) return prepareTable(found.table, range, block);
  if (name === 'xl/workbook.xml') return prepareBook(book, block, warn);
  if (name === 'xl/sharedStrings.xml') return prepareTexts(part(), used);
  if (name === 'docProps/core.xml') return properties;
  if (name === 'docProps/app.xml') return withoutNames(part());
  if (/^xl\/charts\/chart(Ex)?\d*\.xml$/.test(name)) return prepareChart(part(), block, warn);
  if (name.startsWith('xl/pivotCache/')) return preparePivotCache(part(), block);
  if (/^xl\/pivotTables\/[^/]+\.xml$/.test(name)) return preparePivotTable(part(), warn);
  if (name === '[Content_Types].xml') return withoutTypes(part(), parts);
  if (/(^|\/)_rels\//.test(name) && Object.keys(parts).some(droppedPart))
    return dropRelations(part(), (target) =>
      /pivotCacheRecords|calcChain\.xml|docProps\/(custom|thumbnail)/.test(target),
    );
  return undefined;
}

function withoutNames(part: TextPart): string {
  const edits = new Edits(part.text);
  for (const one of part.elements)
    if (['Manager', 'Company', 'HyperlinkBase', 'Template'].includes(one.name)) edits.remove(one);
  return edits.apply();
}

function withoutTypes(part: TextPart, parts: Unzipped): string {
  const edits = new Edits(part.text);
  for (const one of part.elements) {
    const named = one.attributes['PartName']?.slice(1);
    if (one.name === 'Override' && named !== undefined && parts[named] && droppedPart(named)) edits.remove(one);
    if (/macroEnabled|vbaProject/i.test(one.attributes['ContentType'] ?? ''))
      throw unfit('The template contains macros, which cannot be sent safely.', {
        hint: 'Save it without macros, as .xlsx.',
      });
  }
  return edits.apply();
}

/** A part's bytes, where it is written as text. */
export const contentBytes = (content: Uint8Array | string): Uint8Array =>
  typeof content === 'string' ? Buffer.from(content) : content;
