/** White space that spreadsheets skip before they look whether a cell is a formula. */
const skipped = '\\s\\u0000\\ufeff';
const formulaStart = new RegExp(`^[${skipped}]*[=+\\-@\\uff1d\\uff0b\\uff0d\\uff20]|^[\\t\\r\\n]`);

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

/** The same as a regular expression of PostgreSQL. */
export const formulaStartSql = `'^[\\s\\u00a0\\ufeff]*[=+@\\uff1d\\uff0b\\uff0d\\uff20-]|^[\\t\\r\\n]'`;
