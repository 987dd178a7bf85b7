import { strToU8, Zip } from 'fflate';
import type { Cell } from '../filter/index.ts';
import { PackedPart } from './pack.ts';
import { cellXml, head, letters, main, office, packageRels, textXml, xml } from './ooxml.ts';
import type { Highlight, Sheet, SheetColumn } from './sheet.ts';
import { styleOf, Styles, tones } from './styles.ts';

/** What a workbook says of itself. */
export interface AboutWorkbook {
  readonly title: string;
  readonly notes: readonly string[];
  /** When its data was loaded, milliseconds since 1970-01-01T00:00:00Z; stands in its properties. */
  readonly dataAsOf?: number;
}

/** A sheet holds so many rows under its heading (ECMA-376 leaves it open; programs agree on 2^20 lines). */
export const mostRows = 1_048_574;

/** Gives names that a sheet may have: 31 characters, none of those that references use; each once. */
class SheetNames {
  readonly #taken = new Set<string>();

  take(title: string): string {
    const bare =
      title
        .replace(/[[\]:*?/\\']/g, ' ')
        .trim()
        .slice(0, 31) || `Sheet ${this.#taken.size + 1}`;
    let name = bare;
    for (let n = 2; this.#taken.has(name.toLowerCase()); n++) name = `${bare.slice(0, 27)} ${n}`;
    this.#taken.add(name.toLowerCase());
    return name;
  }
}

/** Headings as a table needs them: none empty, none twice, whatever their case. */
function tableHeadings(columns: readonly SheetColumn[]): string[] {
  const taken = new Set<string>();
  return columns.map(({ heading }, i) => {
    const bare = heading.trim() === '' ? `Column ${i + 1}` : heading;
    let name = bare;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${bare} ${n}`;
    taken.add(name.toLowerCase());
    return name;
  });
}

/** So many rows decide how wide columns are; they wait until then. */
const measuredRows = 200;
/** Pieces of about this length go to the packer. */
const pieceLength = 65_536;
const operators = { '=': '=', '<>': '<>', '<': '<', '<=': '<=', '>': '>', '>=': '>=' } as const;

/** Writes text into one part of the archive, in pieces. */
class PartWriter {
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

type OpenedSheet = Pick<Sheet, 'title' | 'columns' | 'highlights'>;

/** One sheet of a workbook that is being written. Rows come one by one; none is kept. */
class SheetWriter {
  readonly #columns: readonly SheetColumn[];
  readonly #highlights: readonly Highlight[];
  readonly #headings: readonly string[];
  readonly #part: PartWriter;
  readonly #styles: readonly number[];
  readonly #letters: readonly string[];
  #waiting: (readonly Cell[])[] | undefined = [];
  /** Exact sums of numbers, by which a total is known for the sum of its column. */
  readonly #sums: number[];
  rows = 0;

  constructor(part: PartWriter, sheet: OpenedSheet, styles: Styles, isFirst: boolean) {
    this.#part = part;
    this.#columns = sheet.columns;
    this.#highlights = sheet.highlights ?? [];
    this.#headings = tableHeadings(sheet.columns);
    this.#styles = sheet.columns.map((one) => styleOf(one, styles, false));
    this.#letters = sheet.columns.map((_, i) => letters(i + 1));
    this.#sums = sheet.columns.map(() => 0);
    part.write(
      `${head}<worksheet xmlns="${main}" xmlns:r="${office}"><sheetViews><sheetView workbookViewId="0"${isFirst ? ' tabSelected="1"' : ''}>` +
        '<pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews>',
    );
  }

  get headings(): readonly string[] {
    return this.#headings;
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
    const columns = widths.map((width, i) => `<col min="${i + 1}" max="${i + 1}" width="${width}" customWidth="1"/>`);
    const headings = this.#headings.map((text, i) =>
      textXml(`${this.#letters[i]!}1`, text, ` s="${Styles.fixed.heading}"`),
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
      text += cellXml(`${this.#letters[i]!}${row}`, cell, this.#columns[i]!.type, this.#styles[i]!);
    }
    this.#part.write(`${text}</row>`);
  }

  /** A total that is the sum of its column stays one when rows are filtered or changed: a formula with its value. */
  #total(total: readonly Cell[], styles: Styles): string {
    const row = this.rows + 2;
    const cells = this.#columns.map((column, i) => {
      const at = `${this.#letters[i]!}${row}`;
      const style = styleOf(column, styles, true);
      const cell = total[i];
      const sum = this.#sums[i]!;
      const isSum =
        column.type === 'number' &&
        typeof cell === 'number' &&
        Math.abs(cell - sum) <= 1e-9 * Math.max(1, Math.abs(sum));
      if (!isSum || this.rows === 0) return cellXml(at, cell, column.type, style);
      const range = `${this.#letters[i]!}2:${this.#letters[i]!}${this.rows + 1}`;
      return `<c r="${at}" s="${style}"><f>SUBTOTAL(109,${range})</f><v>${cell}</v></c>`;
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
        const formula = `$${this.#letters[column]!}2${operators[op]}${value}`;
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
    this.#part.write(
      `</sheetData>${this.#highlightXml()}${hasTable ? '<tableParts count="1"><tablePart r:id="rId1"/></tableParts>' : ''}</worksheet>`,
    );
    this.#part.end();
  }
}

/** The table that stands on a sheet: filters, bands and names by which formulas of its owner can ask for columns. */
function tableXml(id: number, sheet: SheetWriter): string {
  const ref = `A1:${sheet.lastColumn}${Math.max(sheet.rows, 1) + 1}`;
  const columns = sheet.headings.map((name, i) => `<tableColumn id="${i + 1}" name="${xml(name)}"/>`);
  return (
    `${head}<table xmlns="${main}" id="${id}" name="Rows${id}" displayName="Rows${id}" ref="${ref}" totalsRowShown="0"><autoFilter ref="${ref}"/>` +
    `<tableColumns count="${columns.length}">${columns.join('')}</tableColumns>` +
    '<tableStyleInfo name="TableStyleLight1" showFirstColumn="0" showLastColumn="0" showRowStripes="1" showColumnStripes="0"/></table>'
  );
}

function notesSheet(title: string, notes: readonly string[]): string {
  const lines = [title, ...notes].map(
    (text, i) => `<row r="${i + 1}">${textXml(`A${i + 1}`, text, i === 0 ? ` s="${Styles.fixed.heading}"` : '')}</row>`,
  );
  return `${head}<worksheet xmlns="${main}"><cols><col min="1" max="1" width="80" customWidth="1"/></cols><sheetData>${lines.join('')}</sheetData></worksheet>`;
}

const spreadsheet = 'application/vnd.openxmlformats-officedocument.spreadsheetml';
const openPackage = 'application/vnd.openxmlformats-package';

/**
 * Writes a workbook while its rows come, in the same memory however many there are: one sheet an answer, numbers and
 * dates typed and formatted, and a last sheet that says what was filtered. A sheet that is full goes on in the next.
 *
 * The bytes are an Office Open XML workbook (ECMA-376, part 1, section 18); equal input gives equal bytes.
 */
export class WorkbookWriter {
  readonly #zip: Zip;
  readonly #about: AboutWorkbook;
  readonly #styles = new Styles();
  readonly #names = new SheetNames();
  readonly #sheets: { name: string; writer: SheetWriter }[] = [];
  #open: OpenedSheet | undefined;
  readonly #rowsPerSheet: number;

  /**
   * @param sink - takes the finished bytes piece by piece, and may throw to stop
   * @param rowsPerSheet - for tests
   */
  constructor(about: AboutWorkbook, sink: (bytes: Uint8Array) => void, rowsPerSheet = mostRows) {
    this.#about = about;
    this.#rowsPerSheet = rowsPerSheet;
    this.#zip = new Zip((error, bytes) => {
      if (error) throw error;
      sink(bytes);
    });
  }

  sheet(sheet: OpenedSheet): void {
    this.endSheet();
    this.#open = sheet;
    this.#begin(sheet);
  }

  #begin(sheet: OpenedSheet): void {
    const number = this.#sheets.length + 1;
    const part = new PartWriter(this.#zip, `xl/worksheets/sheet${number}.xml`);
    const writer = new SheetWriter(part, sheet, this.#styles, number === 1);
    this.#sheets.push({ name: this.#names.take(sheet.title), writer });
  }

  row(cells: readonly Cell[]): void {
    let { writer } = this.#sheets.at(-1)!;
    if (writer.rows === this.#rowsPerSheet) {
      writer.end(undefined, this.#styles);
      this.#begin(this.#open!);
      writer = this.#sheets.at(-1)!.writer;
    }
    writer.row(cells);
  }

  endSheet(total?: readonly Cell[]): void {
    if (this.#open === undefined) return;
    this.#sheets.at(-1)!.writer.end(total, this.#styles);
    this.#open = undefined;
  }

  #part(name: string, text: string): void {
    const part = new PartWriter(this.#zip, name);
    part.write(text);
    part.end();
  }

  end(): void {
    this.endSheet();
    const { title, notes, dataAsOf } = this.#about;
    const data = this.#sheets;
    const tables = data.flatMap(({ writer }, i) => (writer.headings.length > 0 ? [i] : []));
    this.#part(`xl/worksheets/sheet${data.length + 1}.xml`, notesSheet(title, notes));
    for (const i of tables) {
      this.#part(`xl/tables/table${i + 1}.xml`, tableXml(i + 1, data[i]!.writer));
      this.#part(
        `xl/worksheets/_rels/sheet${i + 1}.xml.rels`,
        `${head}<Relationships xmlns="${packageRels}"><Relationship Id="rId1" Type="${office}/table" Target="../tables/table${i + 1}.xml"/></Relationships>`,
      );
    }
    const all = [...data.map((one) => one.name), this.#names.take('About')];
    const override = (part: string, type: string) => `<Override PartName="/${part}" ContentType="${type}"/>`;
    this.#part(
      '[Content_Types].xml',
      `${head}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="${openPackage}.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>` +
        override('xl/workbook.xml', `${spreadsheet}.sheet.main+xml`) +
        override('xl/styles.xml', `${spreadsheet}.styles+xml`) +
        override('docProps/core.xml', `${openPackage}.core-properties+xml`) +
        override('docProps/app.xml', 'application/vnd.openxmlformats-officedocument.extended-properties+xml') +
        all.map((_, i) => override(`xl/worksheets/sheet${i + 1}.xml`, `${spreadsheet}.worksheet+xml`)).join('') +
        `${tables.map((i) => override(`xl/tables/table${i + 1}.xml`, `${spreadsheet}.table+xml`)).join('')}</Types>`,
    );
    this.#part(
      '_rels/.rels',
      `${head}<Relationships xmlns="${packageRels}"><Relationship Id="rId1" Type="${office}/officeDocument" Target="xl/workbook.xml"/>` +
        '<Relationship Id="rId2" Type="http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties" Target="docProps/core.xml"/>' +
        `<Relationship Id="rId3" Type="${office}/extended-properties" Target="docProps/app.xml"/></Relationships>`,
    );
    const made = dataAsOf === undefined ? '' : new Date(dataAsOf).toISOString().replace(/\.\d+/, '');
    const when = (name: string) =>
      made === '' ? '' : `<dcterms:${name} xsi:type="dcterms:W3CDTF">${made}</dcterms:${name}>`;
    this.#part(
      'docProps/core.xml',
      `${head}<cp:coreProperties xmlns:cp="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:dcterms="http://purl.org/dc/terms/" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">` +
        `<dc:title>${xml(title)}</dc:title><dc:description>${xml(notes.join(' · '))}</dc:description><dc:creator>Under Bell</dc:creator>${when('created')}${when('modified')}</cp:coreProperties>`,
    );
    this.#part(
      'docProps/app.xml',
      `${head}<Properties xmlns="http://schemas.openxmlformats.org/officeDocument/2006/extended-properties"><Application>Under Bell</Application></Properties>`,
    );
    this.#part(
      'xl/workbook.xml',
      `${head}<workbook xmlns="${main}" xmlns:r="${office}"><sheets>${all.map((name, i) => `<sheet name="${xml(name)}" sheetId="${i + 1}" r:id="rId${i + 1}"/>`).join('')}</sheets></workbook>`,
    );
    this.#part(
      'xl/_rels/workbook.xml.rels',
      `${head}<Relationships xmlns="${packageRels}">${all.map((_, i) => `<Relationship Id="rId${i + 1}" Type="${office}/worksheet" Target="worksheets/sheet${i + 1}.xml"/>`).join('')}<Relationship Id="rId${all.length + 1}" Type="${office}/styles" Target="styles.xml"/></Relationships>`,
    );
    this.#part('xl/styles.xml', this.#styles.toXml());
    this.#zip.end();
  }
}

/** Writes a workbook whose rows are all there. */
export function writeWorkbook(sheets: readonly Sheet[], about: AboutWorkbook): Buffer {
  const pieces: Uint8Array[] = [];
  const writer = new WorkbookWriter(about, (bytes) => void pieces.push(bytes));
  for (const sheet of sheets) {
    writer.sheet(sheet);
    for (const row of sheet.rows) writer.row(row);
    writer.endSheet(sheet.total);
  }
  writer.end();
  return Buffer.concat(pieces);
}
