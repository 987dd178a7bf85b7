import { create, type Font } from 'fontkit';

/** The fonts of print, parsed once per process: parsing takes longer than drawing a page. */
export interface PrintFonts {
  readonly regular: Font;
  readonly semibold: Font;
}

/** @param files - the bytes of the TrueType files */
export function parseFonts(files: { readonly regular: Buffer; readonly semibold: Buffer }): PrintFonts {
  return { regular: create(files.regular) as Font, semibold: create(files.semibold) as Font };
}
