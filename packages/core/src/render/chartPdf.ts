import * as echarts from 'echarts/core';
import type { ChartStyle } from '../chart/index.ts';
import type { ChartFigure, FigureResult } from '../report/index.ts';
import { withChart } from './chart.ts';
import { regular, semibold, type PdfPen } from './pdfPen.ts';

type Document = PDFKit.PDFDocument;
/** Any shape: all draw themselves in the same way. */
type Path = echarts.graphic.Rect;
type Style = Path['style'];
/** One thing to draw, as the chart library keeps it. */
type Mark = Path & { readonly __clipPaths?: readonly Path[] };
interface TextStyle extends Style {
  readonly text?: string | number;
  readonly x?: number;
  readonly y?: number;
  readonly font?: string;
  readonly fontSize?: number | string;
  readonly fontWeight?: string | number;
  readonly textAlign?: string;
  readonly textBaseline?: string;
}

const quarter = Math.PI / 2;

/** Writes the lines of a path into the document. The document's own arcs begin a new line each, which nothing can fill. */
class PathWriter {
  readonly #doc: Document;
  #isOpen = false;

  constructor(doc: Document) {
    this.#doc = doc;
  }

  moveTo(x: number, y: number): void {
    this.#isOpen = true;
    this.#doc.moveTo(x, y);
  }

  lineTo(x: number, y: number): void {
    if (!this.#isOpen) return this.moveTo(x, y);
    this.#doc.lineTo(x, y);
  }

  bezierCurveTo(x1: number, y1: number, x2: number, y2: number, x: number, y: number): void {
    this.#doc.bezierCurveTo(x1, y1, x2, y2, x, y);
  }

  quadraticCurveTo(x1: number, y1: number, x: number, y: number): void {
    this.#doc.quadraticCurveTo(x1, y1, x, y);
  }

  arc(x: number, y: number, radius: number, start: number, end: number, isBack?: boolean): void {
    this.ellipse(x, y, radius, radius, 0, start, end, isBack);
  }

  ellipse(
    x: number,
    y: number,
    rx: number,
    ry: number,
    turn: number,
    start: number,
    end: number,
    isBack = false,
  ): void {
    const full = 2 * Math.PI;
    let sweep = isBack ? start - end : end - start;
    if (sweep < 0) sweep = (sweep % full) + full;
    sweep = Math.min(sweep, full) * (isBack ? -1 : 1);
    const at = (angle: number, alongX: number, alongY: number): [number, number] => {
      const [px, py] = [rx * (Math.cos(angle) + alongX), ry * (Math.sin(angle) + alongY)];
      return [x + px * Math.cos(turn) - py * Math.sin(turn), y + px * Math.sin(turn) + py * Math.cos(turn)];
    };
    this.lineTo(...at(start, 0, 0));
    // A curve follows a quarter of a circle to within three ten-thousandths of its radius.
    const parts = Math.max(1, Math.ceil(Math.abs(sweep) / quarter - 1e-9));
    const step = sweep / parts;
    const pull = (4 / 3) * Math.tan(step / 4);
    for (let i = 0; i < parts; i++) {
      const from = start + i * step;
      const to = from + step;
      this.bezierCurveTo(
        ...at(from, -pull * Math.sin(from), pull * Math.cos(from)),
        ...at(to, pull * Math.sin(to), -pull * Math.cos(to)),
        ...at(to, 0, 0),
      );
    }
  }

  rect(x: number, y: number, width: number, height: number): void {
    this.#doc.rect(x, y, width, height);
  }

  closePath(): void {
    this.#doc.closePath();
    this.#isOpen = false;
  }
}

/** Red, green, blue from 0 to 255, then opacity from 0 to 1. */
type Colour = readonly [number, number, number, number];
const known = new Map<string, Colour>();

/** @returns nothing for what leaves no ink */
function colourOf(text: unknown): Colour | undefined {
  if (typeof text !== 'string' || text === 'none' || text === 'transparent') return undefined;
  const parsed = known.get(text) ?? (echarts.color.parse(text) as unknown as Colour | undefined);
  if (parsed === undefined) throw new TypeError(`the chart's colour ${text} cannot be printed`);
  known.set(text, parsed);
  return parsed[3] > 0 ? parsed : undefined;
}

/** How a chart's lines end and meet, in the numbers of the document. */
const ends = { butt: 'butt', round: 'round', square: 'square' } as const;

/** Draws what one chart consists of. */
class ChartDrawer {
  readonly #doc: Document;
  readonly #pen: PdfPen;

  constructor(doc: Document, pen: PdfPen) {
    this.#doc = doc;
    this.#pen = pen;
  }

  draw(mark: Mark): void {
    if (mark.invisible || mark.style.opacity === 0) return;
    this.#doc.save();
    for (const clip of mark.__clipPaths ?? []) this.#clip(clip);
    if (mark.transform) this.#doc.transform(...(mark.transform as [number, number, number, number, number, number]));
    if ((mark.type as string) === 'tspan') this.#text(mark.style);
    else this.#path(mark);
    this.#doc.restore();
  }

  #trace(path: Path): void {
    if (!path.path) path.createPathProxy();
    path.path!.beginPath();
    path.buildPath(path.path! as never, path.shape);
    path.path!.rebuildPath(new PathWriter(this.#doc) as never, 1);
  }

  /** A clip has a place of its own, and stays when what it clips is put in its place. */
  #clip(clip: Path): void {
    const m = clip.transform as [number, number, number, number, number, number] | undefined;
    if (m) this.#doc.transform(...m);
    this.#trace(clip);
    this.#doc.clip();
    if (!m) return;
    const [a, b, c, d, e, f] = m;
    const size = a * d - b * c;
    this.#doc.transform(d / size, -b / size, -c / size, a / size, (c * f - d * e) / size, (b * e - a * f) / size);
  }

  #path(mark: Mark): void {
    const { style } = mark;
    const opacity = style.opacity ?? 1;
    const fill = colourOf(style.fill);
    const scale = style.strokeNoScale ? mark.getLineScale() : 1;
    const width = scale > 0 ? (style.lineWidth ?? 1) / scale : 0;
    const stroke = width > 0 ? colourOf(style.stroke) : undefined;
    if (!fill && !stroke) return;
    if (fill) this.#doc.fillColor([fill[0], fill[1], fill[2]], fill[3] * (style.fillOpacity ?? 1) * opacity);
    if (stroke) {
      this.#doc
        .strokeColor([stroke[0], stroke[1], stroke[2]], stroke[3] * (style.strokeOpacity ?? 1) * opacity)
        .lineWidth(width)
        .lineCap(ends[(style.lineCap ?? 'butt') as keyof typeof ends])
        .lineJoin(style.lineJoin ?? 'miter');
      const dash = dashOf(style.lineDash, width);
      if (dash) this.#doc.dash(dash as never, { phase: (style.lineDashOffset ?? 0) / scale });
    }
    this.#trace(mark);
    if (fill && stroke) this.#doc.fillAndStroke();
    else if (fill) this.#doc.fill();
    else this.#doc.stroke();
  }

  #text(style: TextStyle): void {
    const colour = colourOf(style.fill);
    const text = String(style.text ?? '');
    if (text === '' || !colour) return;
    const [, written = '12'] = /(\d+(?:\.\d+)?)px/.exec(style.font ?? '') ?? [];
    const size = style.fontSize === undefined ? Number(written) : parseFloat(String(style.fontSize));
    const weight = String(style.fontWeight ?? style.font ?? '');
    const up = style.textBaseline === 'top' ? size / 2 : style.textBaseline === 'bottom' ? -size / 2 : 0;
    const align = style.textAlign === 'center' || style.textAlign === 'right' ? style.textAlign : 'left';
    this.#pen.line(text, style.x ?? 0, (style.y ?? 0) + up, {
      size,
      font: /\b(bold|[6-9]00)\b/.test(weight) ? semibold : regular,
      colour: style.fill as string,
      align,
      baseline: 'svg-central',
    });
  }
}

/** Lengths of strokes and gaps, as the chart library counts them for its names. */
function dashOf(lineDash: Style['lineDash'], width: number): readonly number[] | undefined {
  if (!lineDash || lineDash === 'solid') return undefined;
  if (lineDash === 'dashed') return [4 * width, 2 * width];
  if (lineDash === 'dotted') return [width];
  return Array.isArray(lineDash) ? lineDash : [lineDash as number];
}

/**
 * Draws a chart into a document as lines, areas and real text, at the place where the document's origin is.
 *
 * @param look - width and height in pixels: units of the document
 * @throws {TypeError} for a colour that is none
 */
export function drawChart(
  doc: Document,
  pen: PdfPen,
  figure: ChartFigure,
  result: FigureResult,
  look: ChartStyle,
): void {
  withChart(figure, result, look, (chart) => {
    const drawer = new ChartDrawer(doc, pen);
    for (const mark of chart.getZr().storage.getDisplayList(true)) drawer.draw(mark as Mark);
  });
}
