import { escapeUTF8 } from 'entities';
import { formatInstant, printable } from '../format/index.ts';
import { Resvg } from '@resvg/resvg-js';
import { chartNote, toneColour, toneSigns } from '../chart/index.ts';
import { numberText, textTable, trendPaths } from '../figure/index.ts';
import {
  fillText,
  gridColumns,
  type ChartFigure,
  type Figure,
  type FigureResult,
  type NumberFigure,
} from '../report/index.ts';
import { drawnFontFamily, light, shorten, textWidth } from '../theme/index.ts';
import { chartSvg } from './chartSvg.ts';
import type { PageScene } from './pageScene.ts';

/** Pixels. */
const width = 1280;
const margin = 24;
const gap = 12;
const rowUnit = 44;
const tableRow = 24;
const characterWidth = 6.9;

/** What is needed of a page to draw one of its figures. */
export type FigureScene = Pick<PageScene, 'results' | 'taste' | 'parameters'>;

export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** A text as far as there is room for it in bold, which is a little wider. */
export const cut = (text: string, room: number, size = 14) => shorten(text, room / 1.06, size);

interface FontStyle {
  readonly size?: number;
  readonly colour?: string;
  readonly isBold?: boolean;
  readonly anchor?: 'start' | 'end' | 'middle';
}

export function text(
  words: string,
  x: number,
  y: number,
  { size = 14, colour = light.ink, isBold = false, anchor = 'start' }: FontStyle = {},
): string {
  return `<text x="${x.toFixed(1)}" y="${y.toFixed(1)}" font-size="${size}" fill="${colour}" font-weight="${isBold ? 600 : 400}" text-anchor="${anchor}">${escapeUTF8(printable(words))}</text>`;
}

function numberSvg(figure: NumberFigure, result: FigureResult, box: Box, scene: FigureScene): string {
  const { value, unit, beside, comparison, tone } = numberText(figure, result, scene.taste);
  const colour = comparison?.tone ? toneColour(comparison.tone, light) : light.quiet;
  const { whole, incomplete } = trendPaths(result, box.width - 28, box.height > 110 ? box.height - 104 : 0);
  const line = (path: string, dash: string) =>
    path === ''
      ? ''
      : `<path d="${path}" transform="translate(${box.x + 14} ${box.y + 104 - 8})" fill="none" stroke="${light.series[0]}" stroke-width="1.6"${dash}/>`;
  return [
    text(unit ? `${value} ${unit}` : value, box.x + 14, box.y + 62, {
      size: 30,
      isBold: true,
      ...(tone ? { colour: toneColour(tone, light) } : {}),
    }),
    beside ? text(cut(beside, box.width - 28), box.x + 14, box.y + 82, { size: 13, colour: light.quiet }) : '',
    comparison
      ? text(
          cut(`${comparison.sign} ${comparison.text}`.trim(), box.width - 28),
          box.x + 14,
          box.y + (beside ? 99 : 82),
          {
            size: 13,
            colour,
          },
        )
      : '',
    line(whole, ''),
    line(incomplete, ' stroke-dasharray="3 3"'),
  ].join('');
}

/** An ECharts picture as a nested SVG. */
function chart(figure: ChartFigure, result: FigureResult, box: Box, scene: FigureScene): string {
  const inner = { x: box.x + 12, y: box.y + 34, width: box.width - 24, height: box.height - 44 };
  const svg = chartSvg(figure, result, { theme: light, taste: scene.taste, width: inner.width, height: inner.height });
  const words = chartNote(figure, result, scene.taste);
  const style: FontStyle = { size: 13, colour: light.quiet, anchor: 'end' };
  const note = words ? text(words, box.x + box.width - 14, box.y + 26, style) : '';
  return note + svg.replace('<svg ', `<svg x="${inner.x}" y="${inner.y}" `);
}

function tableSvg(figure: Figure, result: FigureResult, box: Box, scene: FigureScene): string {
  const table = textTable(figure, result, scene.taste);
  const room = Math.max(1, Math.floor((box.height - 64) / tableRow) - (table.foot ? 1 : 0));
  const lines = table.lines.slice(0, room);
  const headings = table.headings.map((one) => ({ text: one.unit ? `${one.text} (${one.unit})` : one.text }));
  const all = [headings, ...lines.map((one) => one.cells), ...(table.foot ? [table.foot] : [])];
  const needed = headings.map((_, i) =>
    Math.min(260, Math.max(...all.map((cells) => textWidth(cells[i]?.text ?? '', 14) * 1.06)) + 18),
  );
  const total = needed.reduce((sum, one) => sum + one, 0);
  const widths = needed.map((one) => (one * (box.width - 28)) / total);
  const rows = all.map((cells, r) => {
    const y = box.y + 52 + r * tableRow;
    const isBold = r === 0 || (table.foot !== undefined && r === all.length - 1) || lines[r - 1]?.kind === 'sum';
    let x = box.x + 14;
    const texts = cells.map((cell, i) => {
      const at = x;
      x += widths[i]!;
      const tone = 'tone' in cell ? (cell.tone as keyof typeof toneSigns | undefined) : undefined;
      const words = cut(tone && tone !== 'quiet' ? `${toneSigns[tone]} ${cell.text}` : cell.text, widths[i]! - 8);
      const colour = r === 0 ? light.quiet : tone ? toneColour(tone, light) : light.ink;
      return table.headings[i]?.isNumber
        ? text(words, at + widths[i]! - 6, y, { colour, isBold, anchor: 'end' })
        : text(words, at, y, { colour, isBold });
    });
    return `${texts.join('')}<line x1="${box.x + 14}" x2="${box.x + box.width - 14}" y1="${y + 7}" y2="${y + 7}" stroke="${r === 0 ? light.quiet : light.line}"/>`;
  });
  const more = table.isCut || table.lines.length > lines.length;
  return (
    rows.join('') +
    (more
      ? text('more rows in the report', box.x + box.width - 14, box.y + 26, {
          size: 13,
          colour: light.quiet,
          anchor: 'end',
        })
      : '')
  );
}

export function wrap(words: string, room: number): string[] {
  const most = Math.max(10, Math.floor(room / characterWidth));
  return words.split('\n').flatMap((line) => line.match(new RegExp(`.{1,${most}}(?:\\s|$)|\\S{${most}}`, 'g')) ?? ['']);
}

export function figureSvg(figure: Figure, box: Box, scene: FigureScene): string {
  const result = scene.results.get(figure.name);
  const title = text(cut(figure.title, box.width - 28, 16), box.x + 14, box.y + 26, {
    size: figure.kind === 'number' ? 15 : 16,
    isBold: figure.kind !== 'number',
    colour: figure.kind === 'number' ? light.quiet : light.ink,
  });
  const card = `<rect x="${box.x}" y="${box.y}" width="${box.width}" height="${box.height}" rx="4" fill="${light.raised}" stroke="${light.line}"/>`;
  const inside = () => {
    if (figure.kind === 'text')
      return wrap(fillText(figure.text, result, scene.parameters ?? {}, scene.taste), box.width - 28)
        .map((line, i) => text(line, box.x + 14, box.y + 50 + i * 20))
        .join('');
    if (figure.kind === 'picker') return '';
    if (result === undefined) throw new TypeError(`the figure ${figure.name} has no result`);
    if (result.refused)
      return text(cut(result.refused.message, box.width - 28), box.x + 14, box.y + 52, {
        colour: light.quiet,
      });
    if (figure.kind === 'number') return numberSvg(figure, result, box, scene);
    if (result.rows.length === 0) return text('No rows', box.x + 14, box.y + 52, { colour: light.quiet });
    if (figure.kind === 'table' || figure.kind === 'crosstab') return tableSvg(figure, result, box, scene);
    return chart(figure, result, box, scene);
  };
  return card + title + inside();
}

/** The page as one SVG of 1280 pixels across and as high as it needs. */
export function pageSvg(scene: PageScene): { svg: string; height: number } {
  const { page, title, limits, taste, dataAsOf } = scene;
  const figures = page.figures.filter((one) => one.kind !== 'picker');
  const top = limits.length > 0 ? 84 : 64;
  const rows = Math.max(...figures.map((one) => one.at.row + one.at.height - 1), 1);
  const height = top + rows * rowUnit + (rows - 1) * gap + margin;
  const unit = (width - 2 * margin + gap) / gridColumns;
  const boxOf = ({ at }: Figure): Box => ({
    x: margin + (at.column - 1) * unit,
    y: top + (at.row - 1) * (rowUnit + gap),
    width: at.width * unit - gap,
    height: at.height * (rowUnit + gap) - gap,
  });
  const asOf = formatInstant(dataAsOf, taste);
  const heading = page.title === title ? title : `${title}: ${page.title}`;
  const svg =
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="${drawnFontFamily}">` +
    `<rect width="${width}" height="${height}" fill="${light.paper}"/>` +
    text(heading, margin, 42, { size: 24, isBold: true }) +
    text(`Data as of ${asOf}`, width - margin, 42, { size: 14, colour: light.quiet, anchor: 'end' }) +
    (limits.length > 0 ? text(cut(limits.join(' · '), width - 2 * margin), margin, 68, { colour: light.quiet }) : '') +
    figures.map((figure) => figureSvg(figure, boxOf(figure), scene)).join('') +
    '</svg>';
  return { svg, height };
}

/**
 * Draws a page as a picture, 1280 pixels across.
 *
 * @param fontFiles - paths of the TrueType files; without them text would vanish without an error
 * @returns the bytes of a PNG
 */
export function renderPng(scene: PageScene, fontFiles: readonly string[]): Buffer {
  const { svg } = pageSvg(scene);
  const image = new Resvg(svg, {
    font: { fontFiles: [...fontFiles], loadSystemFonts: false, defaultFontFamily: 'Source Sans 3' },
  });
  return Buffer.from(image.render().asPng());
}
