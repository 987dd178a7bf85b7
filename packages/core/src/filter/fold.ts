/** The marks that accents are made of once a letter is taken apart (Unicode NFD). */
const accents = /[\u0300-\u036f\u1ab0-\u1aff\u1dc0-\u1dff\u20d0-\u20ff\ufe20-\ufe2f]/g;

const ascii = /^[\x00-\x7f]*$/;

/** A text in lower case, whatever the language. @see OGC 21-065r2, section 7.3 (CASEI) */
export function foldCase(text: string): string {
  return text.toLowerCase();
}

/** A text without the accents of its letters, composed (NFC). @see OGC 21-065r2, section 7.4 (ACCENTI) */
export function stripAccents(text: string): string {
  return ascii.test(text) ? text : text.normalize('NFD').replace(accents, '').normalize('NFC');
}
