import { formatCell, formatInstant, printable } from '../format/index.ts';
import PDFDocument from 'pdfkit';
import { numberText, textTable, trendPaths } from '../figure/index.ts';
import {
  fillText,
  gridColumns,
  type ChartFigure,
  type CrosstabFigure,
  type Figure,
  type FigureResult,
  type NumberFigure,
  type TableFigure,
} from '../report/index.ts';
import { checkPdf, makeChecked } from '../readback/index.ts';
import { chartNote, toneColour } from '../chart/index.ts';
import { light, textWidth } from '../theme/index.ts';
import { drawChart } from './chartPdf.ts';
import type { PrintFonts } from './fonts.ts';
import { bandsOf, type Band, type PageScene } from './pageScene.ts';
import { hardenPassword } from './pdfPassword.ts';
import { regular, semibold, type PdfPen } from './pdfPen.ts';
import { margin, PdfSheets } from './pdfSheets.ts';
import { PdfTable } from './pdfTable.ts';

type Document = PDFKit.PDFDocument;
interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Points. */
/** Where the first line under a number begins, and how far the next is. */
const firstLine = 36;
const lineHeight = 11;
const rowUnit = 27;
const gap = 12;
/** CSS pixels to points. */
const pixel = 0.75;

const capitalised = (text: string) => text.charAt(0).toLocaleUpperCase() + text.slice(1);

/** Draws one page of a report on as many sheets as it needs. */
class PageDrawer {
  readonly #sheets: PdfSheets;
  readonly #scene: PageScene;

  constructor(doc: Document, scene: PageScene) {
    this.#sheets = new PdfSheets(doc, scene.page.title);
    this.#scene = scene;
  }

  get #doc(): Document {
    return this.#sheets.doc;
  }

  get #pen(): PdfPen {
    return this.#sheets.pen;
  }

  draw(): void {
    this.#heading();
    for (const band of bandsOf(this.#scene.page)) this.#band(band);
    this.#sheets.root.end();
    this.#footers();
  }

  /** What stands on every sheet, with the values of parameters. */
  #words(text: string | undefined): string | undefined {
    const { parameters = {}, taste } = this.#scene;
    return text === undefined ? undefined : fillText(text, undefined, parameters, taste);
  }

  #heading(): void {
    const { title, page, limits } = this.#scene;
    const header = this.#words(page.print?.header);
    if (header)
      this.#sheets.decoration(
        () =>
          this.#pen.line(header, margin, margin - 16, { size: 8.5, colour: light.quiet, width: this.#sheets.width }),
        'Pagination',
      );
    this.#sheets.tag('H1', () =>
      this.#pen.paragraph(title, margin, margin, { size: 20, font: semibold, width: this.#sheets.width }),
    );
    if (page.title !== title)
      this.#sheets.tag('H2', () =>
        this.#pen.paragraph(page.title, margin, this.#doc.y, {
          size: 12,
          colour: light.quiet,
          width: this.#sheets.width,
        }),
      );
    if (limits.length > 0)
      this.#sheets.tag('P', () =>
        this.#pen.paragraph(capitalised(limits.join(' · ')), margin, this.#doc.y + 2, {
          size: 10,
          colour: light.quiet,
          width: this.#sheets.width,
        }),
      );
    const y = this.#doc.y + 6;
    this.#sheets.rule(y, { width: 1.2, colour: light.sea });
    this.#doc.y = y + gap;
  }

  /** How high a row of the grid is: as high as all that its numbers say wants. */
  #rowOf({ figures }: Band): number {
    const wanted = figures.map((figure) => {
      const result = this.#scene.results.get(figure.name);
      if (figure.kind !== 'number' || !result || result.refused) return rowUnit;
      const { beside, comparison } = numberText(figure, result, this.#scene.taste);
      const lines = [beside, comparison].filter((one) => one !== undefined).length;
      return (firstLine + lines * lineHeight + gap) / figure.at.height;
    });
    return Math.max(rowUnit, ...wanted);
  }

  #band(band: Band): void {
    const [only] = band.figures;
    if (only?.kind === 'table' || only?.kind === 'crosstab') return this.#table(only);
    const row = this.#rowOf(band);
    const height = band.rows * row;
    if (this.#doc.y + height > this.#sheets.bottom) this.#sheets.next();
    const top = this.#doc.y;
    const unit = (this.#sheets.width + gap) / gridColumns;
    for (const figure of band.figures) {
      const { at } = figure;
      const box = {
        x: margin + (at.column - 1) * unit,
        y: top + (at.row - band.top) * row,
        width: at.width * unit - gap,
        height: at.height * row - gap,
      };
      const isChart = figure.kind !== 'text' && figure.kind !== 'number' && figure.kind !== 'picker';
      if (figure.kind !== 'text' && figure.kind !== 'picker') this.#sheets.bookmark(figure.title);
      if (isChart) this.#sheets.tag('Figure', () => this.#figure(figure, box), { alt: this.#alternative(figure) });
      else this.#sheets.tag('P', () => this.#figure(figure, box));
    }
    this.#doc.x = margin;
    this.#doc.y = top + height;
  }

  /** What a chart says to whoever does not see it: its title and its first marks. */
  #alternative(figure: Figure): string {
    const result = this.#scene.results.get(figure.name);
    if (figure.kind === 'text' || figure.kind === 'picker' || !result || result.refused)
      return 'title' in figure ? (figure.title ?? '') : '';
    const { columns } = result;
    const marks = result.rows
      .slice(0, 12)
      .map((row) => row.map((cell, i) => formatCell(cell, columns[i]!, this.#scene.taste)).join(' '));
    const more = result.rows.length > marks.length ? ` and ${result.rows.length - marks.length} more` : '';
    return printable(`${figure.title}: ${marks.join('; ')}${more}`);
  }

  #figure(figure: Figure, box: Box): void {
    const result = this.#scene.results.get(figure.name);
    if (figure.kind === 'text') {
      const text = fillText(figure.text, result, this.#scene.parameters ?? {}, this.#scene.taste);
      return this.#pen.paragraph(text, box.x, box.y, { size: 10.5, width: box.width });
    }
    if (figure.kind === 'picker' || figure.kind === 'table' || figure.kind === 'crosstab') return;
    if (result === undefined) throw new TypeError(`the figure ${figure.name} has no result`);
    if (result.refused) return this.#refused(figure, result.refused.message, box);
    if (figure.kind === 'number') this.#number(figure, result, box);
    else this.#chart(figure, result, box);
  }

  #refused(figure: Figure, why: string, box: Box): void {
    this.#pen.line(figure.title, box.x, box.y, { size: 11, font: semibold, width: box.width });
    this.#pen.paragraph(why, box.x, box.y + 17, {
      size: 9.5,
      colour: light.quiet,
      width: box.width,
    });
  }

  #number(figure: NumberFigure, result: FigureResult, box: Box): void {
    const { taste } = this.#scene;
    const { value, unit, beside, comparison, tone } = numberText(figure, result, taste);
    this.#doc.rect(box.x, box.y, 2, box.height).fill(tone ? toneColour(tone, light) : light.sea);
    const x = box.x + 9;
    const width = box.width - 9;
    this.#pen.line(figure.title, x, box.y, { size: 9.5, colour: light.quiet, width });
    this.#pen.line(unit ? `${value} ${unit}` : value, x, box.y + 12, { size: 19, font: semibold, width });
    let y = box.y + firstLine;
    const small = { size: 8.5, width };
    if (beside) {
      this.#pen.line(beside, x, y, { ...small, colour: light.quiet });
      y += lineHeight;
    }
    if (comparison) {
      const colour = comparison.tone ? toneColour(comparison.tone, light) : light.quiet;
      this.#pen.line(`${comparison.sign} ${comparison.text}`.trim(), x, y, { ...small, colour });
      y += lineHeight;
    }
    const room = box.y + box.height - y;
    const { whole, incomplete } = trendPaths(result, width, room);
    if (room < 12) return;
    this.#doc.save().translate(x, y).lineWidth(1).strokeColor(light.series[0]!);
    if (whole !== '') this.#doc.path(whole).stroke();
    if (incomplete !== '') this.#doc.path(incomplete).dash(2, { space: 2 }).stroke();
    this.#doc.restore();
  }

  #chart(figure: ChartFigure, result: FigureResult, box: Box): void {
    const note = chartNote(figure, result, this.#scene.taste);
    this.#pen.line(figure.title, box.x, box.y, { size: 11, font: semibold, width: box.width });
    // Beside the title where there is room, else below it.
    const besideTitle = textWidth(figure.title, 11) * 1.1 + 10;
    const isBeside = note !== undefined && besideTitle + textWidth(note, 8.5) <= box.width;
    if (note !== undefined) {
      const [x, y] = isBeside ? [box.x + besideTitle, box.y + 2] : [box.x, box.y + 14];
      this.#pen.line(note, x, y, { size: 8.5, colour: light.quiet, width: box.x + box.width - x });
    }
    const head = note === undefined || isBeside ? 17 : 28;
    const top = box.y + head;
    if (result.rows.length === 0) {
      this.#pen.line('No rows', box.x, top, { size: 10, colour: light.quiet });
      return;
    }
    const height = box.height - head;
    this.#doc.save().translate(box.x, top).scale(pixel);
    drawChart(this.#doc, this.#pen, figure, result, {
      theme: light,
      taste: this.#scene.taste,
      width: box.width / pixel,
      height: height / pixel,
    });
    this.#doc.restore();
  }

  #table(figure: TableFigure | CrosstabFigure): void {
    const result = this.#scene.results.get(figure.name);
    if (result === undefined) throw new TypeError(`the figure ${figure.name} has no result`);
    new PdfTable(this.#sheets, textTable(figure, result, this.#scene.taste)).draw(figure.title);
    this.#doc.y += gap;
  }

  #footers(): void {
    const { taste, dataAsOf, title, page } = this.#scene;
    const name = this.#words(page.print?.footer) ?? title;
    const asOf = formatInstant(dataAsOf, taste);
    const { count } = this.#doc.bufferedPageRange();
    for (let i = 0; i < count; i++) {
      this.#doc.switchToPage(i);
      const y = this.#doc.page.height - margin - 10;
      // Text below the margin would start a new sheet.
      this.#doc.page.margins.bottom = 0;
      this.#sheets.decoration(() => {
        this.#pen.line(`${name} · data as of ${asOf}`, margin, y, {
          size: 8.5,
          colour: light.quiet,
        });
        this.#pen.line(`${i + 1} / ${count}`, margin, y, {
          size: 8.5,
          colour: light.quiet,
          width: this.#sheets.width,
          align: 'right',
        });
      }, 'Pagination');
    }
  }
}

/** What somebody who opens a locked page may do with it: everything but changing it. */
const permissions = {
  printing: 'highResolution',
  copying: true,
  contentAccessibility: true,
} as const;

/** A document and how many sheets it has. */
interface Printed {
  readonly bytes: Buffer;
  readonly sheets: number;
}

/**
 * Prints one page of a report: vector charts, real text, an embedded font subset, bookmarks, and tags that say what is
 * a heading, a chart with its words, a table with its cells.
 *
 * A page with a password is encrypted with AES of 256 bits (ISO 32000-2, revision 6), under a key that is drawn anew each
 * time.
 *
 * @returns the bytes of a PDF; equal scenes give equal bytes, unless they have a password
 * It is read back before it is called made.
 *
 * @throws {TypeError} when a figure of the page has no result
 * @throws {Refusal} `FILE_DAMAGED`
 */
export async function renderPdf(scene: PageScene, fonts: PrintFonts): Promise<Buffer> {
  const { bytes } = await makeChecked(
    () => print(scene, fonts),
    (made) => checkPdf(made.bytes, made.sheets),
  );
  return bytes;
}

async function print(scene: PageScene, fonts: PrintFonts): Promise<Printed> {
  const { print: paper } = scene.page;
  const doc = new PDFDocument({
    size: paper?.paper ?? 'A4',
    layout: paper?.orientation ?? 'portrait',
    margin,
    // None but those that are registered below; the library would read one of its own.
    font: null as never,
    bufferPages: true,
    tagged: true,
    ...(scene.password === undefined
      ? { pdfVersion: '1.7' as const }
      : { pdfVersion: '1.7ext3' as const, userPassword: scene.password, permissions }),
    lang: scene.taste.locale,
    displayTitle: true,
    info: {
      Title: printable(`${scene.title}: ${scene.page.title}`),
      Producer: 'Under Bell',
      Creator: 'Under Bell',
      CreationDate: new Date(scene.dataAsOf),
    },
  });
  if (scene.password !== undefined) hardenPassword(doc, scene.password);
  // pdfkit takes a parsed fontkit font as well as bytes; parsing for every document doubles its time.
  doc.registerFont(regular, fonts.regular as unknown as Buffer);
  doc.registerFont(semibold, fonts.semibold as unknown as Buffer);
  const chunks: Buffer[] = [];
  const finished = new Promise<void>((resolve, reject) =>
    doc
      .on('data', (chunk: Buffer) => chunks.push(chunk))
      .on('end', resolve)
      .on('error', reject),
  );
  new PageDrawer(doc, scene).draw();
  const { count } = doc.bufferedPageRange();
  doc.end();
  await finished;
  return { bytes: Buffer.concat(chunks), sheets: count };
}
