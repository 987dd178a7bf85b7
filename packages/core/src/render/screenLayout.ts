import { renderAsync } from '@resvg/resvg-js';
import type { FigureResult, Figure } from '../report/index.ts';
import type { FormatOptions } from '../format/index.ts';
import { screenGrid } from '../screen/mediaFit.ts';
import { screenParts } from '../screen/screenLayout.ts';
import { drawnFontFamily, light } from '../theme/index.ts';
import { cut, figureSvg, text, wrap, type Box } from './png.ts';

/** Of the picture, in pixels. */
export interface WallSize {
  readonly width: number;
  readonly height: number;
}

/** How old what is shown is, in words. */
interface WallAge {
  readonly words: string;
  readonly isWorrying: boolean;
}

/** A page as it stands on a wall, one of its sheets at a time. */
export interface WallPage {
  readonly title: string;
  readonly figures: readonly Figure[];
  readonly results: ReadonlyMap<string, FigureResult>;
  readonly taste: FormatOptions;
  readonly parameters: Readonly<Record<string, string>>;
  /** What limits it here, in words. */
  readonly limits: readonly string[];
}

/** As much of the shorter side as is read from five metres, however many pixels it has; equal to what the player does. */
function remOf({ width, height }: WallSize): number {
  const [wide, high] = height > width ? [2.4, 1.35] : [1.35, 2.4];
  return Math.min((wide * width) / 100, (high * height) / 100);
}

/** In what figures are drawn in: theirs are made for eyes at a desk. */
const deskFont = 13.5;

const laidOut = (page: Pick<WallPage, 'figures'>, size: WallSize) => {
  const grid = screenGrid(size);
  const figures = page.figures.filter((one) => one.kind !== 'picker');
  return { grid, sheets: screenParts(figures, grid) };
};

/** How many sheets a page is on a wall of a size: they share its time. */
export const sheetsOn = (page: Pick<WallPage, 'figures'>, size: WallSize): number =>
  Math.max(1, laidOut(page, size).sheets.length);

const frame = ({ width, height }: WallSize, inside: string): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="${drawnFontFamily}">` +
  `<rect width="${width}" height="${height}" fill="${light.paper}"/>${inside}</svg>`;

function heading(size: WallSize, title: string, limits: readonly string[]): string {
  const rem = remOf(size);
  const x = 1.8 * rem;
  const baseline = 3.2 * rem;
  const shown = cut(title, size.width * 0.7, 2 * rem);
  const beside = cut(limits.join(' · '), size.width * 0.3, 1.1 * rem);
  return (
    text(shown, x, baseline, { size: 2 * rem, isBold: true }) +
    (beside ? text(beside, size.width - x, baseline, { size: 1.1 * rem, colour: light.quiet, anchor: 'end' }) : '') +
    `<rect x="${x}" y="${3.9 * rem}" width="${size.width - 2 * x}" height="${Math.max(2, rem / 8)}" fill="${light.brass}"/>`
  );
}

function foot(size: WallSize, age: WallAge | undefined, name: string | undefined): string {
  const rem = remOf(size);
  const x = 1.8 * rem;
  const y = size.height - 0.9 * rem;
  const parts: string[] = [];
  if (age?.isWorrying) {
    const wide = age.words.length * 0.58 * rem + rem;
    parts.push(
      `<rect x="${size.width - x - wide}" y="${y - 1.2 * rem}" width="${wide}" height="${1.7 * rem}" rx="${rem / 5}" fill="${light.signal}"/>`,
      text(age.words, size.width - x - wide / 2, y, {
        size: 1.15 * rem,
        colour: '#fff',
        isBold: true,
        anchor: 'middle',
      }),
    );
  } else if (age)
    parts.push(text(age.words, size.width - x, y, { size: 1.15 * rem, colour: light.quiet, anchor: 'end' }));
  if (name) parts.push(text(name, x, y, { size: 1.6 * rem, isBold: true }));
  return parts.join('');
}

/** What else stands on a wall. */
export interface WallSigns {
  readonly age?: WallAge;
  /** Of the screen, while it is told to say it. */
  readonly name?: string;
}

/** One sheet of a page, laid out for a wall rather than shrunk to it. @param sheet - from 0 */
export function wallPageSvg(page: WallPage, sheet: number, size: WallSize, signs: WallSigns): string {
  const rem = remOf(size);
  const { grid, sheets } = laidOut(page, size);
  const shown = sheets[Math.min(sheet, sheets.length - 1)];
  const side = 1.8 * rem;
  const top = 4.9 * rem;
  const gap = 0.8 * rem;
  const high = size.height - top - 2.6 * rem;
  const wide = size.width - 2 * side;
  const column = (wide + gap) / grid.columns;
  const row = (high + gap) / (shown?.rows ?? 1);
  const scale = rem / deskFont;
  const figures = (shown?.figures ?? []).map(({ figure, at }) => {
    const x = side + (at.column - 1) * column;
    const y = top + (at.row - 1) * row;
    const box: Box = {
      x: 0,
      y: 0,
      width: (at.width * column - gap) / scale,
      height: (at.height * row - gap) / scale,
    };
    return `<g transform="translate(${x.toFixed(1)} ${y.toFixed(1)}) scale(${scale.toFixed(4)})">${figureSvg(figure, box, page)}</g>`;
  });
  return frame(size, heading(size, page.title, page.limits) + figures.join('') + foot(size, signs.age, signs.name));
}

/** Words alone, as large as they may be. */
export function wallWordsSvg(
  words: { readonly title?: string; readonly text: string; readonly isQuiet?: boolean },
  size: WallSize,
  signs: WallSigns,
): string {
  const rem = remOf(size);
  const font = (words.text.length > 160 ? 2.4 : 4) * rem;
  // Measured in what a letter of fourteen pixels takes.
  const lines = wrap(words.text, (size.width * 0.8 * 14) / font);
  const first = size.height / 2 - ((lines.length - 1) * font * 1.2) / 2 + font / 3;
  const colour = words.isQuiet ? light.quiet : light.ink;
  const style = { size: font, isBold: true, anchor: 'middle', colour } as const;
  return frame(
    size,
    (words.title ? heading(size, words.title, []) : '') +
      lines.map((line, i) => text(line.trim(), size.width / 2, first + i * font * 1.2, style)).join('') +
      foot(size, signs.age, signs.name),
  );
}

/** What stands above a picture that fills the rest, and beside it. */
export const wallOverSvg = (title: string | undefined, size: WallSize, signs: WallSigns): string =>
  frame(size, (title ? heading(size, title, []) : '') + foot(size, signs.age, signs.name));

/** Where a picture stands below its title. */
export const pictureTop = (title: string | undefined, size: WallSize): number =>
  title ? Math.round(4.2 * remOf(size)) : 0;

/**
 * A drawing of a wall as a picture; drawn beside everything else that the process does.
 *
 * @param fontFiles - paths of the TrueType files; without them text would vanish without an error
 * @returns the bytes of a PNG
 */
export async function drawWall(svg: string, fontFiles: readonly string[]): Promise<Buffer> {
  const image = await renderAsync(svg, {
    font: { fontFiles: [...fontFiles], loadSystemFonts: false, defaultFontFamily: 'Source Sans 3' },
  });
  return Buffer.from(image.asPng());
}
