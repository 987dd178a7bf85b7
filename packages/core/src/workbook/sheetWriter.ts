import { strToU8, type Zip } from 'fflate';
import type { Cell } from '../filter/index.ts';
import { formulaOf, ownCell } from './formula.ts';
import { cellXml, formulaXml, head, letters, main, office, textXml, xml } from './ooxml.ts';
import { PackedPart } from './pack.ts';
import type { Highlight, Sheet, SheetColumn } from './sheet.ts';
import { headingStyle, styleOf, Styles, tones } from './styles.ts';

/** What spreadsheets take for the same: whatever the case, also of letters whose cases are not one to one. */
export const folded = (text: string) => text.normalize('NFKC').toUpperCase().toLowerCase();

/** Headings as a table needs them: on one line, none empty, none too long, none twice, whatever their case. */
function tableHeadings(columns: readonly SheetColumn[]): string[] {
  const taken = new Set<string>();
  return columns.map(({ heading }, i) => {
    const bare = heading.replace(/\s+/g, ' ').trim().slice(0, 240) || `Column ${i + 1}`;
    let name = bare;
    for (let n = 2; taken.has(folded(name)); n++) name = `${bare} ${n}`;
    taken.add(folded(name));
    return name;
  });
}

/** So many rows decide how wide columns are; they wait until then. */
const measuredRows = 200;
/** Pieces of about this length go to the packer. */
const pieceLength = 65_536;
/** So many characters stand beside each other on upright paper. */
const uprightWidth = 90;
const tableName = (sheet: number) => `Rows${sheet}`;

/** Writes text into one part of the archive, in pieces. */
export class PartWriter {
  readonly #entry: PackedPart;
  #held: string[] = [];
  #length = 0;

  constructor(zip: Zip, name: string) {
    this.#entry = new PackedPart(name);
    zip.add(this.#entry);
  }

  write(text: string): void {
    this.#held.push(text);
    this.#length += text.length;
    if (this.#length < pieceLength) return;
    this.#entry.push(strToU8(this.#held.join('')), false);
    this.#held = [];
    this.#length = 0;
  }

  end(): void {
    this.#entry.push(strToU8(this.#held.join('')), true);
  }
}

export type OpenedSheet = Pick<Sheet, 'title' | 'columns' | 'highlights'>;

/** One sheet of a workbook that is being written. Rows come one by one; none is kept. */
export class SheetWriter {
  readonly #columns: readonly SheetColumn[];
  readonly #highlights: readonly Highlight[];
  readonly #headings: readonly string[];
  readonly #part: PartWriter;
  readonly #styles: readonly number[];
  readonly #letters: readonly string[];
  /** The formula of each column that follows from others. */
  readonly #formulas: readonly (string | undefined)[];
  #waiting: (readonly Cell[])[] | undefined = [];
  /** Exact sums of numbers, by which a total is known for the sum of its column. */
  readonly #sums: number[];
  rows = 0;
  /** Of all columns together, in characters. */
  #width = 0;

  /** @param number - the sheet's place in the workbook, from 1 */
  constructor(part: PartWriter, sheet: OpenedSheet, styles: Styles, number: number) {
    this.#part = part;
    this.#columns = sheet.columns;
    this.#highlights = sheet.highlights ?? [];
    this.#headings = tableHeadings(sheet.columns);
    this.#styles = sheet.columns.map((one) => styleOf(one, styles, false));
    this.#letters = sheet.columns.map((_, i) => letters(i + 1));
    const nameOf = (column: number) => ownCell(tableName(number), this.#headings[column]!);
    this.#formulas = sheet.columns.map(({ calculation }) => calculation && formulaOf(calculation, nameOf));
    this.#sums = sheet.columns.map(() => 0);
    part.write(
      `${head}<worksheet xmlns="${main}" xmlns:r="${office}"><sheetPr><pageSetUpPr fitToPage="1"/></sheetPr><sheetViews><sheetView workbookViewId="0"${number === 1 ? ' tabSelected="1"' : ''}>` +
        '<pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews>',
    );
  }

  get headings(): readonly string[] {
    return this.#headings;
  }

  get formulas(): readonly (string | undefined)[] {
    return this.#formulas;
  }

  get lastColumn(): string {
    return this.#letters.at(-1) ?? 'A';
  }

  row(cells: readonly Cell[]): void {
    if (this.#waiting === undefined) return this.#write(cells);
    this.#waiting.push(cells);
    if (this.#waiting.length === measuredRows) this.#begin();
  }

  /** Widths stand before the rows, so that the first rows wait for them. */
  #begin(): void {
    const waiting = this.#waiting ?? [];
    this.#waiting = undefined;
    const widths = this.#headings.map((heading, i) =>
      Math.min(48, Math.max(heading.length + 4, ...waiting.map((row) => String(row[i] ?? '').length), 9)),
    );
    this.#width = widths.reduce((sum, width) => sum + width, 0);
    const columns = widths.map((width, i) => `<col min="${i + 1}" max="${i + 1}" width="${width}" customWidth="1"/>`);
    const headings = this.#headings.map((text, i) =>
      textXml(`${this.#letters[i]!}1`, text, ` s="${headingStyle(this.#columns[i]!)}"`),
    );
    this.#part.write(`<cols>${columns.join('')}</cols><sheetData><row r="1">${headings.join('')}</row>`);
    for (const row of waiting) this.#write(row);
  }

  #write(cells: readonly Cell[]): void {
    const row = ++this.rows + 1;
    let text = `<row r="${row}">`;
    for (let i = 0; i < this.#columns.length; i++) {
      const cell = cells[i];
      if (typeof cell === 'number') this.#sums[i]! += cell;
      const at = `${this.#letters[i]!}${row}`;
      const formula = this.#formulas[i];
      text +=
        formula === undefined
          ? cellXml(at, cell, this.#columns[i]!.type, this.#styles[i]!)
          : formulaXml(at, formula, cell, this.#styles[i]!);
    }
    this.#part.write(`${text}</row>`);
  }

  /**
   * A total that is the sum of its column stays one when rows are filtered or changed, and one that follows from other
   * totals goes on doing so: formulas with their values.
   */
  #total(total: readonly Cell[], styles: Styles): string {
    const row = this.rows + 2;
    const label = this.#columns.findIndex(({ type }, i) => type === 'text' && (total[i] ?? null) === null);
    const cells = this.#columns.map((column, i) => {
      const at = `${this.#letters[i]!}${row}`;
      const style = styleOf(column, styles, true);
      const cell = i === label ? 'Total' : total[i];
      // The line above the sums goes through.
      if ((cell ?? null) === null && !column.calculation) return `<c r="${at}" s="${Styles.fixed.sum}"/>`;
      if (column.calculation)
        return formulaXml(
          at,
          formulaOf(column.calculation, (other) => `${this.#letters[other]!}${row}`),
          cell,
          style,
        );
      const sum = this.#sums[i]!;
      const isSum =
        column.type === 'number' &&
        typeof cell === 'number' &&
        Math.abs(cell - sum) <= 1e-9 * Math.max(1, Math.abs(sum));
      if (!isSum || this.rows === 0) return cellXml(at, cell, column.type, style);
      const range = `${this.#letters[i]!}2:${this.#letters[i]!}${this.rows + 1}`;
      return formulaXml(at, `SUBTOTAL(109,${range})`, cell, style);
    });
    return `<row r="${row}">${cells.join('')}</row>`;
  }

  #highlightXml(): string {
    if (this.rows === 0) return '';
    return this.#highlights
      .map(({ column, op, value, shown, tone }, i) => {
        const last = this.rows + 1;
        const [from, to] =
          shown === undefined ? ['A', this.lastColumn] : [this.#letters[shown]!, this.#letters[shown]!];
        const formula = `$${this.#letters[column]!}2${op}${value}`;
        return (
          `<conditionalFormatting sqref="${from}2:${to}${last}"><cfRule type="expression" dxfId="${tones.indexOf(tone)}" priority="${i + 1}">` +
          `<formula>${xml(`AND(ISNUMBER($${this.#letters[column]!}2),${formula})`)}</formula></cfRule></conditionalFormatting>`
        );
      })
      .join('');
  }

  end(total: readonly Cell[] | undefined, styles: Styles): void {
    if (this.#waiting !== undefined) this.#begin();
    if (total) this.#part.write(this.#total(total, styles));
    const hasTable = this.#columns.length > 0;
    const orientation = this.#width > uprightWidth ? 'landscape' : 'portrait';
    this.#part.write(
      `</sheetData>${this.#highlightXml()}<pageSetup paperSize="9" fitToHeight="0" orientation="${orientation}"/>` +
        `<headerFooter><oddFooter>&amp;L&amp;A&amp;R&amp;P / &amp;N</oddFooter></headerFooter>${hasTable ? '<tableParts count="1"><tablePart r:id="rId1"/></tableParts>' : ''}</worksheet>`,
    );
    this.#part.end();
  }
}

/** The table that stands on a sheet: filters, bands and names by which formulas of its owner can ask for columns. */
export function tableXml(id: number, sheet: SheetWriter): string {
  const ref = `A1:${sheet.lastColumn}${Math.max(sheet.rows, 1) + 1}`;
  const columns = sheet.headings.map((name, i) => {
    const formula = sheet.formulas[i];
    const start = `<tableColumn id="${i + 1}" name="${xml(name)}"`;
    if (formula === undefined) return `${start}/>`;
    return `${start}><calculatedColumnFormula>${xml(formula)}</calculatedColumnFormula></tableColumn>`;
  });
  return (
    `${head}<table xmlns="${main}" id="${id}" name="${tableName(id)}" displayName="${tableName(id)}" ref="${ref}" totalsRowShown="0"><autoFilter ref="${ref}"/>` +
    `<tableColumns count="${columns.length}">${columns.join('')}</tableColumns>` +
    '<tableStyleInfo name="TableStyleLight1" showFirstColumn="0" showLastColumn="0" showRowStripes="1" showColumnStripes="0"/></table>'
  );
}
