import type { ValueType } from '../dataset/index.ts';
import type { Cell } from '../filter/index.ts';
import { printable } from '../format/index.ts';

// Apostrophes stay as they are: libraries escape them too, and formulas and names of sheets are full of them.
const escapes: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
/** Most texts hold nothing that has to be looked at twice. */
const special = /[&<>"]/;
export const xml = (text: string) => {
  const shown = printable(text);
  return special.test(shown) ? shown.replace(/[&<>"]/g, (one) => escapes[one]!) : shown;
};
/** What every part begins with. */
export const head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
export const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
export const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
export const packageRels = 'http://schemas.openxmlformats.org/package/2006/relationships';

/** Column letters: 1 is A, 27 is AA. */
export function letters(index: number): string {
  const rest = Math.floor((index - 1) / 26);
  return (rest > 0 ? letters(rest) : '') + String.fromCharCode(65 + ((index - 1) % 26));
}

const dayMs = 86_400_000;
/** Days since the last one of 1899, as workbooks count. */
const epoch = Date.UTC(1899, 11, 30);
const serial = (ms: number) => (ms - epoch) / dayMs;

/** A cell with its value typed; nothing for a missing one. @param style - index of its format */
export function cellXml(at: string, cell: Cell | undefined, type: ValueType, style: number): string {
  if (cell === null || cell === undefined) return '';
  const s = style === 0 ? '' : ` s="${style}"`;
  if (type === 'number')
    return Number.isFinite(Number(cell)) ? `<c r="${at}"${s}><v>${String(cell)}</v></c>` : textXml(at, String(cell), s);
  if (type === 'boolean') return `<c r="${at}"${s} t="b"><v>${cell === true ? 1 : 0}</v></c>`;
  if (type === 'date' || type === 'instant') {
    const ms = type === 'date' ? Date.parse(`${String(cell)}T00:00:00Z`) : Number(cell);
    // Workbooks know no days before 1900.
    return Number.isFinite(ms) && serial(ms) >= 61
      ? `<c r="${at}"${s}><v>${serial(ms)}</v></c>`
      : textXml(at, String(cell), s);
  }
  return textXml(at, String(cell), s);
}

/** A cell that goes on being calculated, with its value of now; numbers only. */
export function formulaXml(at: string, formula: string, cell: Cell | undefined, style: number): string {
  const start = `<c r="${at}" s="${style}"`;
  return typeof cell === 'number' && Number.isFinite(cell)
    ? `${start}><f>${xml(formula)}</f><v>${cell}</v></c>`
    : `${start} t="str"><f>${xml(formula)}</f><v></v></c>`;
}

/** Texts stand in their cell, so that a formula in somebody's data stays a text. */
export const textXml = (at: string, text: string, s: string) =>
  `<c r="${at}"${s} t="inlineStr"><is><t xml:space="preserve">${xml(text.slice(0, 32_767))}</t></is></c>`;
