/** What RFC 4180 ends a line with. */
export const csvLineEnd = '\r\n';

/** One field as RFC 4180 writes it; missing is empty, and an empty text is quoted so that both stay apart. */
export function csvField(text: string | null): string {
  if (text === null) return '';
  return text === '' || /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** One line with its end. */
export function csvLine(fields: readonly (string | null)[]): string {
  return `${fields.map(csvField).join(',')}${csvLineEnd}`;
}
