import { light } from '../theme/index.ts';
import { PdfPen } from './pdfPen.ts';

type Document = PDFKit.PDFDocument;
export type Tag = ReturnType<Document['struct']>;

/** Points. */
export const margin = 40;
const footerHeight = 26;

/** The sheets of a document: what is said on them and in which order, and where one ends. */
export class PdfSheets {
  readonly doc: Document;
  readonly pen: PdfPen;
  /** What is read aloud, in this order. */
  readonly root: Tag;
  readonly #bookmarks;

  /** @param title - what the page's bookmark says; those of its figures stand below */
  constructor(doc: Document, title: string) {
    this.doc = doc;
    this.pen = new PdfPen(doc);
    this.root = doc.struct('Document');
    doc.addStructure(this.root);
    this.#bookmarks = doc.outline.addItem(title, { expanded: true });
  }

  get width(): number {
    return this.doc.page.width - 2 * margin;
  }

  /** Where the room for what flows ends. */
  get bottom(): number {
    return this.doc.page.height - margin - footerHeight;
  }

  next(): void {
    this.doc.addPage();
    this.doc.y = margin;
  }

  bookmark(title: string): void {
    this.#bookmarks.addItem(title);
  }

  /** Draws something that is part of what the page says. */
  tag(
    type: string,
    draw: () => void,
    options: { readonly alt?: string; readonly title?: string } = {},
    parent = this.root,
  ): void {
    const tag = this.doc.struct(type, options, draw);
    parent.add(tag);
    tag.end();
  }

  /** Draws something that nobody has to hear: lines, and what stands on every sheet. */
  decoration(draw: () => void, type: 'Layout' | 'Pagination' = 'Layout'): void {
    this.doc.markContent('Artifact', { type });
    draw();
    this.doc.endMarkedContent();
  }

  /** Draws a line over the whole width. */
  rule(y: number, style: { readonly width: number; readonly colour: string }): void {
    this.decoration(() =>
      this.doc
        .moveTo(margin, y)
        .lineTo(margin + this.width, y)
        .lineWidth(style.width)
        .strokeColor(style.colour)
        .stroke(),
    );
  }

  /** A quiet sentence over the whole width, below what was drawn last. */
  note(text: string, size: number): void {
    this.tag('P', () =>
      this.pen.paragraph(text, margin, this.doc.y + 3, { size, colour: light.quiet, width: this.width }),
    );
  }
}
