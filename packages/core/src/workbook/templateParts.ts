import { unfit, type TextPart } from './parts.ts';
import {
  growReferences,
  lastRowPlaceholder,
  readRange,
  sumRowPlaceholder,
  type CellRange,
  type DataBlock,
} from './ranges.ts';
import { childrenOf, Edits, isInside, type Element } from './xmlPart.ts';
import { letters } from './ooxml.ts';

/** The field that stands for the values themselves in a pivot table's references. */
const valuesField = '4294967294';

/** The table that the data stands in, grown with its rows. */
export function prepareTable(part: TextPart, range: CellRange, block: DataBlock): string {
  const edits = new Edits(part.text);
  const refTo = (mark: string) => `${letters(range.firstColumn)}${range.firstRow}:${letters(range.lastColumn)}${mark}`;
  for (const one of part.elements) {
    if (one.name === 'table')
      edits.setAttributes(one, { ref: refTo(block.sumRow ? sumRowPlaceholder : lastRowPlaceholder) });
    if (one.name === 'autoFilter') edits.setAttributes(one, { ref: refTo(lastRowPlaceholder) });
    // What the author had filtered and sorted by are values of the author's rows.
    if (one.name === 'filterColumn' || one.name === 'sortState') edits.remove(one);
  }
  return edits.apply();
}

/** A chart without the copies of the author's values that it keeps. */
export function prepareChart(part: TextPart, block: DataBlock, onWarning: (warning: string) => void): string {
  const edits = new Edits(part.text);
  const caches = new Set(['numCache', 'strCache', 'multiLvlStrCache', 'dlblRangeCache', 'lvl']);
  for (const one of part.elements) {
    if (caches.has(one.name)) edits.remove(one);
    else if (one.name === 'f')
      edits.replace(
        one.innerStart,
        one.innerEnd,
        growReferences(part.text.slice(one.innerStart, one.innerEnd), block, false, (reference) =>
          onWarning(`The range ${reference} of a chart does not end with the data: it stays unchanged.`),
        ),
      );
  }
  return edits.apply();
}

/** A pivot table's memory of its source, emptied and marked to be read anew on opening. @throws {Refusal} `TEMPLATE_INVALID` */
export function preparePivotCache(part: TextPart, block: DataBlock): string {
  const edits = new Edits(part.text);
  for (const one of part.elements) {
    if (one.name === 'pivotCacheDefinition')
      edits.setAttributes(one, {
        refreshOnLoad: '1',
        saveData: '0',
        refreshedBy: undefined,
        refreshedDate: undefined,
        refreshedDateIso: undefined,
        recordCount: undefined,
        'r:id': undefined,
      });
    if (one.name === 'cacheSource' && one.attributes['type'] !== 'worksheet')
      throw unfit('A pivot table uses rows from outside the workbook.', {
        pointer: part.name,
        hint: 'Use the table with the data.',
      });
    if (one.name === 'worksheetSource') growSource(part, one, block, edits);
    // Groups hold the bounds and names of the rows they were made from.
    if (one.name === 'fieldGroup')
      throw unfit(`A pivot table groups the values of “${one.parent?.attributes['name'] ?? ''}”.`, {
        pointer: part.name,
        hint: 'Use a column with the group, for example the month.',
      });
    if (one.name === 'sharedItems') edits.replace(one.start, one.end, sameTag(part, one));
  }
  return edits.apply();
}

/** An element that says nothing, under the name it has. */
function sameTag(part: TextPart, one: Element): string {
  const name = /^<([\w:]+)/.exec(part.text.slice(one.start, one.innerStart))![1]!;
  return `<${name}/>`;
}

function growSource(part: TextPart, source: Element, block: DataBlock, edits: Edits): void {
  const { ref, sheet } = source.attributes;
  if (source.attributes['r:id'] !== undefined)
    throw unfit('A pivot table uses rows from another workbook.', { pointer: part.name });
  if (ref === undefined || sheet?.toLowerCase() !== block.sheet.toLowerCase()) return;
  edits.setAttributes(source, { ref: growReferences(ref, block, true) });
}

/** A pivot table without the items it showed; it finds them again when it reads its source. */
export function preparePivotTable(part: TextPart, onWarning: (warning: string) => void): string {
  const edits = new Edits(part.text);
  const name = part.elements[0]?.attributes['name'] ?? '';
  const byItem = new Set(['format', 'chartFormat', 'conditionalFormat']);
  const references = part.elements.filter((one) => one.name === 'reference');
  const dropped = new Set<Element>();
  for (const one of part.elements) {
    if (one.name === 'items' && one.parent?.name === 'pivotField')
      edits.replace(
        one.start,
        one.end,
        one.parent.attributes['defaultSubtotal'] === '0' ? '' : '<items count="1"><item t="default"/></items>',
      );
    if (one.name === 'rowItems' || one.name === 'colItems') edits.remove(one);
    if (one.name === 'pageField' && one.attributes['item'] !== undefined) {
      edits.setAttributes(one, { item: undefined });
      onWarning(`Pivot table “${name}” shows all values of its filter fields: selections are removed.`);
    }
    if (byItem.has(one.name)) {
      const isOfItem = references.some(
        (reference) => isInside(reference, one) && reference.attributes['field'] !== valuesField,
      );
      if (!isOfItem) continue;
      edits.remove(one);
      dropped.add(one);
    }
  }
  for (const parent of new Set([...dropped].map((one) => one.parent!))) {
    const left = childrenOf(part.elements, parent).filter((one) => !dropped.has(one));
    if (left.length === 0) edits.remove(parent);
    else edits.setAttributes(parent, { count: String(left.length) });
    onWarning(`Pivot table “${name}” loses formats of single items.`);
  }
  return edits.apply();
}

/** Cells that a pivot table fills: its body, and the filter fields above it. */
export function pivotCells(part: TextPart): CellRange[] {
  const location = part.elements.find((one) => one.name === 'location');
  const body = readRange(location?.attributes['ref'] ?? '');
  if (!body) return [];
  const pageRows = Math.max(
    Number(location!.attributes['rowPageCount'] ?? 0),
    part.elements.filter((one) => one.name === 'pageField').length,
  );
  if (pageRows === 0) return [body];
  const pages = {
    firstRow: Math.max(1, body.firstRow - 1 - pageRows),
    lastRow: body.firstRow - 2,
    firstColumn: body.firstColumn + 1,
    lastColumn: body.firstColumn + 1 + 3 * (Number(location!.attributes['colPageCount'] ?? 1) - 1),
  };
  return [body, pages];
}

/** Shared texts: those that are not in use any more are emptied, so that the others keep their numbers. */
export function prepareTexts(part: TextPart, used: ReadonlySet<number>): string {
  const edits = new Edits(part.text);
  part.elements
    .filter((one) => one.name === 'si')
    .forEach((one, index) => {
      if (!used.has(index)) edits.replace(one.start, one.end, '<si><t/></si>');
    });
  return edits.apply();
}

/** The workbook's own part: names follow the data, everything is computed anew, and the author's folder is forgotten. */
export function prepareBook(part: TextPart, block: DataBlock, onWarning: (warning: string) => void): string {
  const edits = new Edits(part.text);
  let isComputed = false;
  for (const one of part.elements) {
    if (one.name === 'definedName')
      edits.replace(
        one.innerStart,
        one.innerEnd,
        growReferences(part.text.slice(one.innerStart, one.innerEnd), block, false, (reference) =>
          onWarning(
            `The name “${one.attributes['name']}” (${reference}) does not end with the data: it stays unchanged.`,
          ),
        ),
      );
    if (one.name === 'calcPr') {
      edits.setAttributes(one, { fullCalcOnLoad: '1' });
      isComputed = true;
    }
    if (one.name === 'absPath' && one.parent?.parent?.name === 'AlternateContent') edits.remove(one.parent.parent);
    if (one.name === 'fileSharing') edits.remove(one);
  }
  if (!isComputed) {
    // The order of what stands in a workbook's part is fixed: computing comes after sheets and names.
    const after = part.elements.filter((one) =>
      ['sheets', 'functionGroups', 'externalReferences', 'definedNames'].includes(one.name),
    );
    const at = Math.max(...after.map((one) => one.end));
    edits.replace(at, at, '<calcPr fullCalcOnLoad="1"/>');
  }
  return edits.apply();
}

/** Takes relations to parts away that are not sent. */
export function dropRelations(part: TextPart, isDropped: (target: string) => boolean): string {
  const edits = new Edits(part.text);
  for (const one of part.elements)
    if (one.name === 'Relationship' && isDropped(one.attributes['Target'] ?? '')) edits.remove(one);
  return edits.apply();
}
