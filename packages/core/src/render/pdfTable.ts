import { toneColour, toneSigns } from '../chart/index.ts';
import type { TextCell, TextTable } from '../figure/index.ts';
import { light } from '../theme/index.ts';
import { regular, semibold } from './pdfPen.ts';
import { margin, type PdfSheets, type Tag } from './pdfSheets.ts';

/** Points. */
const rowHeight = 15;
const textSize = 9;
const padding = 3;
/** No column asks for more than this. */
const widest = 190;
/** Widths are chosen by so many rows. */
const sampleRows = 60;

type RowKind = 'heading' | TextTable['lines'][number]['kind'];

/** Draws a table over as many sheets as it needs, its headings on each. */
export class PdfTable {
  readonly #sheets: PdfSheets;
  readonly #table: TextTable;
  readonly #headings: readonly TextCell[];
  readonly #widths: readonly number[];

  constructor(sheets: PdfSheets, table: TextTable) {
    this.#sheets = sheets;
    this.#table = table;
    this.#headings = table.headings.map((one) => ({ text: one.unit ? `${one.text} (${one.unit})` : one.text }));
    this.#widths = this.#shareWidth();
  }

  draw(title: string): void {
    const sheets = this.#sheets;
    const { doc, pen } = sheets;
    const { lines, foot, isCut } = this.#table;
    // A title stands with at least its headings and a row.
    if (doc.y + 20 + 3 * rowHeight > sheets.bottom) sheets.next();
    sheets.bookmark(title);
    sheets.tag('H3', () => pen.paragraph(title, margin, doc.y, { size: 11, font: semibold, width: sheets.width }));
    doc.y += 3;
    const tag = doc.struct('Table', { title });
    sheets.root.add(tag);
    this.#row(this.#headings, 'heading', tag);
    if (lines.length === 0) sheets.note('No rows', 10);
    for (const line of [...lines, ...(foot ? [{ kind: 'sum' as const, cells: foot }] : [])]) {
      if (doc.y + rowHeight > sheets.bottom) {
        sheets.next();
        // Whoever listens has heard the headings.
        this.#row(this.#headings, 'heading', undefined);
      }
      this.#row(line.cells, line.kind, tag);
    }
    tag.end();
    if (isCut) sheets.note('There are more rows than stand here.', 8.5);
  }

  /** Shares out the width by what the cells need; the longest give way first. */
  #shareWidth(): number[] {
    const { lines, foot } = this.#table;
    const style = { size: textSize, font: semibold } as const;
    const sample = [this.#headings, ...lines.map((line) => line.cells), ...(foot ? [foot] : [])].slice(0, sampleRows);
    const widthOf = (cell: TextCell | undefined) => Math.min(this.#sheets.pen.widthOf(cell?.text ?? '', style), widest);
    const needed = this.#headings.map((_, i) => Math.max(...sample.map((row) => widthOf(row[i]))) + 12);
    const total = needed.reduce((sum, one) => sum + one, 0);
    return needed.map((one) => (one * this.#sheets.width) / total);
  }

  #row(cells: readonly TextCell[], kind: RowKind, parent: Tag | undefined): void {
    const sheets = this.#sheets;
    const { doc } = sheets;
    const y = doc.y;
    let x = margin;
    const line = parent && doc.struct('TR');
    if (line) parent.add(line);
    const draw = (cell: () => void) => {
      if (line) sheets.tag(kind === 'heading' ? 'TH' : 'TD', cell, {}, line);
      else sheets.decoration(cell, 'Pagination');
    };
    cells.forEach((cell, i) => {
      const left = x;
      x += this.#widths[i]!;
      if (cell.text === '') return line ? draw(() => undefined) : undefined;
      draw(() => this.#cell(cell, kind, i, left, y));
    });
    line?.end();
    const isHeading = kind === 'heading';
    const bottom = y + rowHeight;
    sheets.rule(bottom, { width: isHeading ? 0.9 : 0.4, colour: isHeading ? light.quiet : light.line });
    doc.x = margin;
    doc.y = bottom;
  }

  #cell({ text, tone }: TextCell, kind: RowKind, column: number, left: number, y: number): void {
    const colour = kind === 'heading' ? light.quiet : tone ? toneColour(tone, light) : light.ink;
    this.#sheets.pen.line(tone && tone !== 'quiet' ? `${toneSigns[tone]} ${text}` : text, left + padding, y + padding, {
      size: textSize,
      font: kind === 'row' ? regular : semibold,
      colour,
      width: this.#widths[column]! - 2 * padding,
      align: this.#table.headings[column]!.isNumber ? 'right' : 'left',
    });
  }
}
