import { printable } from '../format/index.ts';
import { light } from '../theme/index.ts';

type Document = PDFKit.PDFDocument;

export const regular = 'regular';
export const semibold = 'semibold';

/** How a text looks; points. */
export interface FontStyle {
  readonly size: number;
  readonly font?: typeof regular | typeof semibold;
  readonly colour?: string;
}

/** How a text of one line looks and where it stands. */
export interface TextLineStyle extends FontStyle {
  /** A longer text ends with an ellipsis. */
  readonly width?: number;
  /** Where in the width it stands, or, without one, which part of it stands at x. */
  readonly align?: 'left' | 'center' | 'right';
  /** What of the text stands at y. */
  readonly baseline?: 'top' | 'svg-central';
}

/**
 * Sets texts. One line at a known place is measured once and set at once: looking for breaks takes several times as
 * long, and most texts of a page are cells of a table.
 */
export class PdfPen {
  readonly #doc: Document;

  constructor(doc: Document) {
    this.#doc = doc;
  }

  #choose({ size, font = regular, colour = light.ink }: FontStyle): Document {
    return this.#doc.font(font).fontSize(size).fillColor(colour);
  }

  /** Points. */
  widthOf(text: string, { size, font = regular }: FontStyle): number {
    return this.#doc.font(font).fontSize(size).widthOfString(printable(text));
  }

  /** Sets a text in as many lines as it takes; `doc.y` then is below it. */
  paragraph(text: string, x: number, y: number, style: FontStyle & { readonly width: number }): void {
    this.#choose(style).text(printable(text), x, y, { width: style.width });
  }

  /** Sets a text in one line. */
  line(text: string, x: number, y: number, style: TextLineStyle): void {
    const doc = this.#choose(style);
    const { width, align = 'left', baseline = 'top' } = style;
    let shown = printable(/\s/.test(text) ? text.replace(/\s+/g, ' ').trim() : text);
    let textWidth = doc.widthOfString(shown);
    if (width !== undefined && textWidth > width) {
      shown = this.#shorten(shown, width);
      textWidth = doc.widthOfString(shown);
    }
    const room = (width ?? 0) - textWidth;
    const left = align === 'right' ? x + room : align === 'center' ? x + room / 2 : x;
    // With the width known, it is not measured a second time.
    doc.text(shown, left, y, { lineBreak: false, baseline, textWidth, wordCount: 1 } as PDFKit.Mixins.TextOptions);
  }

  /** The longest beginning that fits with an ellipsis. */
  #shorten(text: string, width: number): string {
    const characters = [...text];
    const begin = (count: number) => `${characters.slice(0, count).join('').trimEnd()}…`;
    let [fits, tooLong] = [0, characters.length];
    while (tooLong - fits > 1) {
      const middle = Math.floor((fits + tooLong) / 2);
      if (this.#doc.widthOfString(begin(middle)) <= width) fits = middle;
      else tooLong = middle;
    }
    return begin(fits);
  }
}
