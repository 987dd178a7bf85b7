import { create, type Font } from 'fontkit';

/** The fonts of print, parsed once per process: parsing takes longer than drawing a page. */
export interface PrintFonts {
  readonly regular: Font;
  readonly semibold: Font;
}

type Run = ReturnType<Font['layout']>;

/** Digits of a column stand below each other. */
const figuresOfOneWidth = ['tnum'];

/** Words of a page that come again and again: headings, labels, months. */
const maxWords = 20_000;

/**
 * Numbers as they are printed: hardly two are the same, so each would have to be set anew, but none of their characters
 * changes its shape beside another.
 */
const isNumber = /^[\d.,:%+−-]+ ?$/;

/**
 * Keeps how words are set across documents: copies of one page have most of theirs in common, and setting them is half
 * the work of making one. Numbers are put together from how each two characters stand beside each other. Whoever draws
 * scales the positions, so each document gets positions of its own.
 */
function remembering(font: Font): Font {
  const layout = font.layout.bind(font);
  const kept = new Map<string, Run>();
  const set = (text: string): Run => {
    let run = kept.get(text);
    if (run === undefined) {
      if (kept.size >= maxWords) kept.clear();
      run = layout(text, figuresOfOneWidth);
      kept.set(text, run);
    }
    return run;
  };
  const setNumber = (text: string) => {
    const pairs = Array.from(text, (_, i) => set(text.slice(i, i + 2)));
    return { glyphs: pairs.map((one) => one.glyphs[0]!), positions: pairs.map((one) => one.positions[0]!) };
  };
  font.layout = (text, features, ...how) => {
    if (features !== undefined || how.some((one) => one !== undefined)) return layout(text, features, ...how);
    const { glyphs, positions } = isNumber.test(text) ? setNumber(text) : set(text);
    const own = positions.map((one) => ({ ...one }));
    return {
      glyphs,
      positions: own,
      get advanceWidth() {
        return own.reduce((sum, one) => sum + one.xAdvance, 0);
      },
    } as Run;
  };
  return font;
}

/** @param files - the bytes of the TrueType files */
export function parseFonts(files: { readonly regular: Buffer; readonly semibold: Buffer }): PrintFonts {
  const parse = (bytes: Buffer) => remembering(create(bytes) as Font);
  return { regular: parse(files.regular), semibold: parse(files.semibold) };
}
