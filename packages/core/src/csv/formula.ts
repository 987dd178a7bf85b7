/**
 * White space that spreadsheets skip before they look whether a cell is a formula. One by one, because what a database
 * takes for white space hangs on its locale.
 */
const skipped = '\\s\\u00a0\\u1680\\u2000-\\u200b\\u2028\\u2029\\u202f\\u205f\\u3000\\ufeff';
const signs = '=+@\\uff1d\\uff0b\\uff0d\\uff20\\-';
const formulaStart = new RegExp(`^[\\u0000${skipped}]*[${signs}]|^[\\t\\r\\n]`);

/**
 * Whether a spreadsheet may take a text for a formula: it begins so, or does after what is skipped.
 *
 * @see OWASP, CSV injection: `=`, `+`, `-`, `@`, tab, carriage return, line feed, and their full-width forms
 */
export function looksLikeFormula(text: string): boolean {
  return formulaStart.test(text);
}

/** A text that no spreadsheet takes for a formula. */
export function withoutFormula(text: string): string {
  return looksLikeFormula(text) ? `'${text}` : text;
}

/** The same as a regular expression of PostgreSQL, whose texts have no U+0000. */
export const formulaStartSql = `'^[${skipped}]*[${signs}]|^[\\t\\r\\n]'`;
