import { strToU8, zipSync } from 'fflate';
import type { ValueType } from '../dataset/index.ts';
import type { Cell } from '../filter/index.ts';
import { cellXml, head, letters, main, office, packageRels, textXml, xml } from './ooxml.ts';

/** One sheet: typed columns, a frozen heading with a filter, and a sum line when there is one. */
export interface Sheet {
  readonly title: string;
  readonly columns: readonly { readonly heading: string; readonly type: ValueType; readonly format?: string }[];
  readonly rows: readonly (readonly Cell[])[];
  readonly total?: readonly Cell[];
}

/** A name that a sheet may have: 31 characters, none of those that references use; each once. */
function sheetNames(sheets: readonly Sheet[]): string[] {
  const taken = new Set<string>();
  return sheets.map(({ title }, i) => {
    const bare =
      title
        .replace(/[[\]:*?/\\']/g, ' ')
        .trim()
        .slice(0, 31) || `Sheet ${i + 1}`;
    let name = bare;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${bare.slice(0, 27)} ${n}`;
    taken.add(name.toLowerCase());
    return name;
  });
}

/** Number formats of all sheets, each once; the first styles are fixed. */
class Styles {
  readonly #formats = new Map<string, number>();
  static readonly fixed = { plain: 0, heading: 1, date: 2, instant: 3, sum: 4 };

  number(format: string | undefined): number {
    const code = format ?? '#,##0.##########';
    const known = this.#formats.get(code) ?? this.#formats.size;
    this.#formats.set(code, known);
    return 5 + known * 2;
  }

  /** The same number in a sum line. */
  sum(format: string | undefined): number {
    return this.number(format) + 1;
  }

  toXml(): string {
    const codes = [...this.#formats.keys()];
    const formats = ['yyyy\\-mm\\-dd', 'yyyy\\-mm\\-dd\\ hh:mm', ...codes].map(
      (code, i) => `<numFmt numFmtId="${164 + i}" formatCode="${xml(code)}"/>`,
    );
    const cell = (format: number, font = 0, border = 0) =>
      `<xf numFmtId="${format}" fontId="${font}" fillId="0" borderId="${border}" xfId="0" applyNumberFormat="1"/>`;
    const cells = [
      cell(0),
      cell(0, 1, 1),
      cell(164),
      cell(165),
      cell(0, 1, 2),
      ...codes.flatMap((_, i) => [cell(166 + i), cell(166 + i, 1, 2)]),
    ];
    const line = (edge: string) => `<border><left/><right/>${edge}<diagonal/></border>`;
    return (
      `${head}<styleSheet xmlns="${main}"><numFmts count="${formats.length}">${formats.join('')}</numFmts>` +
      '<fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts>' +
      '<fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills>' +
      `<borders count="3">${line('<top/><bottom/>')}${line('<top/><bottom style="thin"/>')}${line('<top style="thin"/><bottom/>')}</borders>` +
      '<cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs>' +
      `<cellXfs count="${cells.length}">${cells.join('')}</cellXfs></styleSheet>`
    );
  }
}

function styleOf(column: Sheet['columns'][number], styles: Styles, isSum: boolean): number {
  if (column.type === 'date') return Styles.fixed.date;
  if (column.type === 'instant') return Styles.fixed.instant;
  if (column.type === 'number') return isSum ? styles.sum(column.format) : styles.number(column.format);
  return isSum ? Styles.fixed.sum : Styles.fixed.plain;
}

function widthOf(sheet: Sheet, index: number): number {
  const texts = sheet.rows.slice(0, 200).map((row) => String(row[index] ?? '').length);
  return Math.min(48, Math.max(sheet.columns[index]!.heading.length + 4, ...texts, 9));
}

function sheetXml(sheet: Sheet, styles: Styles, isFirst: boolean): string {
  const { columns, rows, total } = sheet;
  const last = letters(Math.max(columns.length, 1));
  const line = (cells: readonly Cell[], row: number, isSum: boolean) =>
    `<row r="${row}">${columns.map((column, i) => cellXml(`${letters(i + 1)}${row}`, cells[i], column.type, styleOf(column, styles, isSum))).join('')}</row>`;
  const headings = `<row r="1">${columns.map((one, i) => textXml(`${letters(i + 1)}1`, one.heading, ` s="${Styles.fixed.heading}"`)).join('')}</row>`;
  const body = [
    headings,
    ...rows.map((row, i) => line(row, i + 2, false)),
    ...(total ? [line(total, rows.length + 2, true)] : []),
  ];
  return (
    `${head}<worksheet xmlns="${main}"><dimension ref="A1:${last}${body.length}"/>` +
    `<sheetViews><sheetView workbookViewId="0"${isFirst ? ' tabSelected="1"' : ''}><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews>` +
    `<cols>${columns.map((_, i) => `<col min="${i + 1}" max="${i + 1}" width="${widthOf(sheet, i)}" customWidth="1"/>`).join('')}</cols>` +
    `<sheetData>${body.join('')}</sheetData><autoFilter ref="A1:${last}${rows.length + 1}"/></worksheet>`
  );
}

function notesSheet(title: string, notes: readonly string[]): string {
  const lines = [title, ...notes].map(
    (text, i) => `<row r="${i + 1}">${textXml(`A${i + 1}`, text, i === 0 ? ` s="${Styles.fixed.heading}"` : '')}</row>`,
  );
  return `${head}<worksheet xmlns="${main}"><cols><col min="1" max="1" width="80" customWidth="1"/></cols><sheetData>${lines.join('')}</sheetData></worksheet>`;
}

/**
 * Writes a workbook: one sheet an answer, numbers and dates typed and formatted, headings frozen, and a last sheet that
 * says what was filtered.
 *
 * @returns the bytes of an Office Open XML workbook (ECMA-376, part 1, section 18); equal input gives equal bytes
 */
export function writeWorkbook(
  sheets: readonly Sheet[],
  about: { readonly title: string; readonly notes: readonly string[] },
): Buffer {
  const names = [...sheetNames(sheets)];
  let aboutName = 'About';
  while (names.some((name) => name.toLowerCase() === aboutName.toLowerCase())) aboutName += ' this';
  const all = [...names, aboutName];
  const styles = new Styles();
  const parts = [...sheets.map((sheet, i) => sheetXml(sheet, styles, i === 0)), notesSheet(about.title, about.notes)];
  const filters = sheets.map(
    (sheet, i) =>
      `<definedName name="_xlnm._FilterDatabase" localSheetId="${i}" hidden="1">'${xml(names[i]!)}'!$A$1:$${letters(Math.max(sheet.columns.length, 1))}$${sheet.rows.length + 1}</definedName>`,
  );
  const files: Record<string, string> = {
    '[Content_Types].xml':
      `${head}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>` +
      '<Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/styles.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.styles+xml"/>' +
      `${all.map((_, i) => `<Override PartName="/xl/worksheets/sheet${i + 1}.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/>`).join('')}</Types>`,
    '_rels/.rels': `${head}<Relationships xmlns="${packageRels}"><Relationship Id="rId1" Type="${office}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
    'xl/workbook.xml': `${head}<workbook xmlns="${main}" xmlns:r="${office}"><sheets>${all.map((name, i) => `<sheet name="${xml(name)}" sheetId="${i + 1}" r:id="rId${i + 1}"/>`).join('')}</sheets><definedNames>${filters.join('')}</definedNames></workbook>`,
    'xl/_rels/workbook.xml.rels': `${head}<Relationships xmlns="${packageRels}">${all.map((_, i) => `<Relationship Id="rId${i + 1}" Type="${office}/worksheet" Target="worksheets/sheet${i + 1}.xml"/>`).join('')}<Relationship Id="rId${all.length + 1}" Type="${office}/styles" Target="styles.xml"/></Relationships>`,
    'xl/styles.xml': styles.toXml(),
    ...Object.fromEntries(parts.map((part, i) => [`xl/worksheets/sheet${i + 1}.xml`, part])),
  };
  const bytes = Object.fromEntries(Object.entries(files).map(([name, text]) => [name, strToU8(text)]));
  return Buffer.from(zipSync(bytes, { level: 1, mtime: '1980-01-02T00:00:00' }));
}
