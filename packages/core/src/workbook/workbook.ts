import { offsetAt } from '../format/index.ts';
import { Zip } from 'fflate';
import type { Cell } from '../filter/index.ts';
import { head, main, office, packageRels, textXml, xml } from './ooxml.ts';
import type { Sheet } from './sheet.ts';
import { PartWriter, SheetWriter, tableXml, type OpenedSheet } from './sheetWriter.ts';
import { Styles } from './styles.ts';

/** What a workbook says of itself. */
export interface AboutWorkbook {
  readonly title: string;
  readonly notes: readonly string[];
  /** When its data was loaded, milliseconds since 1970-01-01T00:00:00Z; stands in its properties. */
  readonly dataAsOf?: number;
  /** Of the wall clock that instants show, which their headings name; UTC when left out. */
  readonly timeZone?: string;
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

function notesSheet(title: string, notes: readonly string[]): string {
  const lines = [title, ...notes].map(
    (text, i) => `<row r="${i + 1}">${textXml(`A${i + 1}`, text, i === 0 ? ` s="${Styles.fixed.heading}"` : '')}</row>`,
  );
  return `${head}<worksheet xmlns="${main}"><cols><col min="1" max="1" width="80" customWidth="1"/></cols><sheetData>${lines.join('')}</sheetData></worksheet>`;
}

/** On paper the heading stands on every sheet. */
function printTitles(names: readonly string[]): string {
  if (names.length === 0) return '';
  const titles = names.map(
    (name, i) => `<definedName name="_xlnm.Print_Titles" localSheetId="${i}">${xml(`'${name}'!$1:$1`)}</definedName>`,
  );
  return `<definedNames>${titles.join('')}</definedNames>`;
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
  readonly #zone: string;
  /** Columns of the open sheet that hold instants. */
  #instants: readonly number[] = [];
  readonly #rowsPerSheet: number;

  /**
   * @param sink - takes the finished bytes piece by piece, and may throw to stop
   * @param rowsPerSheet - for tests
   */
  constructor(about: AboutWorkbook, sink: (bytes: Uint8Array) => void, rowsPerSheet = mostRows) {
    this.#about = about;
    this.#zone = about.timeZone ?? 'UTC';
    this.#rowsPerSheet = rowsPerSheet;
    this.#zip = new Zip((error, bytes) => {
      if (error) throw error;
      sink(bytes);
    });
  }

  sheet(sheet: OpenedSheet): void {
    this.endSheet();
    this.#instants = sheet.columns.flatMap((one, i) => (one.type === 'instant' ? [i] : []));
    const columns = sheet.columns.map((one) =>
      one.type === 'instant' ? { ...one, heading: `${one.heading} (${this.#zone})` } : one,
    );
    this.#open = { ...sheet, columns };
    this.#begin(this.#open);
  }

  #begin(sheet: OpenedSheet): void {
    const number = this.#sheets.length + 1;
    const part = new PartWriter(this.#zip, `xl/worksheets/sheet${number}.xml`);
    const writer = new SheetWriter(part, sheet, this.#styles, number);
    this.#sheets.push({ name: this.#names.take(sheet.title), writer });
  }

  row(cells: readonly Cell[]): void {
    let { writer } = this.#sheets.at(-1)!;
    if (writer.rows === this.#rowsPerSheet) {
      writer.end(undefined, this.#styles);
      this.#begin(this.#open!);
      writer = this.#sheets.at(-1)!.writer;
    }
    writer.row(this.#onWallClock(cells));
  }

  /** A workbook knows no zones: its instants are what the wall clock shows that the heading names. */
  #onWallClock(cells: readonly Cell[]): readonly Cell[] {
    if (this.#instants.length === 0) return cells;
    const shown = [...cells];
    for (const i of this.#instants) {
      const at = shown[i];
      if (typeof at === 'number' && Number.isFinite(at)) shown[i] = at + offsetAt(at, this.#zone);
    }
    return shown;
  }

  endSheet(total?: readonly Cell[]): void {
    if (this.#open === undefined) return;
    this.#sheets.at(-1)!.writer.end(total && this.#onWallClock(total), this.#styles);
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
      `${head}<workbook xmlns="${main}" xmlns:r="${office}"><sheets>${all.map((name, i) => `<sheet name="${xml(name)}" sheetId="${i + 1}" r:id="rId${i + 1}"/>`).join('')}</sheets>` +
        `${printTitles(data.map((one) => one.name))}</workbook>`,
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
