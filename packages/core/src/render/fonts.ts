import { create, type Font } from 'fontkit';

/** The fonts of print, parsed once per process: parsing takes longer than drawing a page. */
export interface PrintFonts {
  readonly regular: Font;
  readonly semibold: Font;
}

type Run = ReturnType<Font['layout']>;

/** Words of a page that come again and again: headings, labels, months, numbers. */
const maxWords = 20_000;

/**
 * Keeps how words are set across documents: copies of one page have most of theirs in common, and setting them is half
 * the work of making one. Whoever draws scales the positions, so each document gets positions of its own.
 */
function remembering(font: Font): Font {
  const set = font.layout.bind(font);
  const kept = new Map<string, Run>();
  font.layout = (text, features, ...how) => {
    if (how.some((one) => one !== undefined)) return set(text, features, ...how);
    const key = features === undefined ? text : `${text}\0${JSON.stringify(features)}`;
    let run = kept.get(key);
    if (run === undefined) {
      if (kept.size >= maxWords) kept.clear();
      run = set(text, features);
      kept.set(key, run);
    }
    const positions = run.positions.map((one) => ({ ...one }));
    return Object.assign(Object.create(Object.getPrototypeOf(run) as object) as Run, run, { positions });
  };
  return font;
}

/** @param files - the bytes of the TrueType files */
export function parseFonts(files: { readonly regular: Buffer; readonly semibold: Buffer }): PrintFonts {
  const parse = (bytes: Buffer) => remembering(create(bytes) as Font);
  return { regular: parse(files.regular), semibold: parse(files.semibold) };
}
