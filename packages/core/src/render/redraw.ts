import { Resvg } from '@resvg/resvg-js';
import { Refusal } from '../refusal/index.ts';

/**
 * Draws a drawing anew, as paths, gradients and pictures alone: words become outlines, so that it looks the same on every
 * wall, and nothing that acts is left in it.
 *
 * @param svg - one that fetches nothing: whatever it names would be read from the disk
 * @param fontFiles - paths of the TrueType files that words are set in
 * @throws {Refusal} `MEDIA_INVALID`
 */
export function redrawSvg(svg: string, fontFiles: readonly string[]): { svg: string; width: number; height: number } {
  try {
    const drawing = new Resvg(svg, {
      font: { fontFiles: [...fontFiles], loadSystemFonts: false, defaultFontFamily: 'Source Sans 3' },
    });
    return { svg: drawing.toString(), width: Math.round(drawing.width), height: Math.round(drawing.height) };
  } catch (cause) {
    throw new Refusal('MEDIA_INVALID', `The SVG cannot be drawn: ${(cause as Error).message}.`, {}, { cause });
  }
}
