import { decodeXML } from 'entities';
import { strFromU8, unzipSync } from 'fflate';
import type { WorkbookTemplate } from './template.ts';

/** A value of somebody else's, found in a file. */
export interface Leak {
  readonly part: string;
  readonly value: string;
}

const isText = (part: string) => /\.(xml|rels|vml)$/.test(part);
/** Values that can be looked for anywhere: shorter ones and bare numbers stand in every workbook by chance. */
const isTelling = (value: string) => value.length >= 3 && /\p{L}/u.test(value);
const isWord = (value: string) => /^[\p{L}\p{N}]+$/u.test(value);
/** By chance, compressed pictures hold any four letters now and then. */
const shortestInBytes = 6;

const fold = (text: string) => text.normalize('NFC').toLowerCase();

function decode(text: string): string {
  return decodeXML(text).replace(/_x([0-9a-f]{4})_/gi, (_, code: string) =>
    String.fromCharCode(Number.parseInt(code, 16)),
  );
}

/**
 * Looks for values that are not the recipient's in every part of finished files, whoever filled them: it knows nothing
 * of how they were made, but for the rows that were just put in, which are checked one by one elsewhere.
 *
 * Case does not matter. A value of one or two characters, or of digits alone, is found where it is the whole of a
 * text, a remembered value of a chart or pivot table, or a chosen filter.
 */
export class LeakScanner {
  readonly #words = new Map<string, string>();
  readonly #phrases: [string, string][] = [];
  readonly #wholes = new Map<string, string>();
  /** What was found in a part the last time: most parts are the same in all copies. */
  readonly #seen = new Map<string, { bytes: Uint8Array; found: ReadonlySet<string> }>();

  /** @param values - of all recipients */
  constructor(values: Iterable<string>) {
    for (const value of values) {
      const folded = fold(value.trim());
      if (folded === '') continue;
      if (!isTelling(folded)) this.#wholes.set(folded, value);
      else if (isWord(folded)) this.#words.set(folded, value);
      else this.#phrases.push([folded, value]);
    }
  }

  /**
   * @param own - the values of this file's recipient
   * @param rows - how many rows of the recipient's own were filled in
   * @returns what was found, by part
   */
  scan(bytes: Uint8Array, template: WorkbookTemplate, own: Iterable<string>, rows: number): Leak[] {
    const mine = new Set([...own].map((value) => fold(value.trim())));
    const leaks: Leak[] = [];
    for (const [part, content] of Object.entries(unzipSync(bytes))) {
      if (/pivotCacheRecords/.test(part)) leaks.push({ part, value: 'remembered rows' });
      const names = this.#find('', part);
      const found =
        part === template.dataPart
          ? this.#find(part, withoutRows(strFromU8(content), template, rows))
          : this.#inPart(part, content);
      for (const value of [...names, ...found]) if (!mine.has(fold(value.trim()))) leaks.push({ part, value });
    }
    return leaks;
  }

  #inPart(part: string, bytes: Uint8Array): ReadonlySet<string> {
    const seen = this.#seen.get(part);
    if (seen && Buffer.compare(seen.bytes, bytes) === 0) return seen.found;
    const found = isText(part) ? this.#find(part, strFromU8(bytes)) : this.#inBytes(bytes);
    this.#seen.set(part, { bytes, found });
    return found;
  }

  #find(part: string, raw: string): Set<string> {
    const found = new Set<string>();
    // Text may be parted by its looks: what is between tags is looked at together as well as apart.
    for (const text of [
      decode(raw),
      decode(raw.replace(/<\/?(?:\w+:)?(?:r|t|rPr|b|i|sz|color|rFont|family|scheme|u|p)(?:\s[^>]*)?\/?>/g, '')),
    ]) {
      const folded = fold(text);
      for (const [word] of folded.matchAll(/[\p{L}\p{N}]+/gu)) {
        const value = this.#words.get(word);
        if (value !== undefined) found.add(value);
      }
      for (const [phrase, value] of this.#phrases) if (folded.includes(phrase)) found.add(value);
    }
    if (this.#wholes.size > 0 && part !== '') this.#findWholes(raw, found);
    return found;
  }

  #findWholes(raw: string, found: Set<string>): void {
    const take = (text: string) => {
      const value = this.#wholes.get(fold(decode(text).trim()));
      if (value !== undefined) found.add(value);
    };
    for (const [, text] of raw.matchAll(/<(?:\w+:)?t(?:\s[^>]*)?>([^<]*)</g)) take(text!);
    for (const [, text] of raw.matchAll(/<c:v>([^<]*)</g)) take(text!);
    for (const [, text] of raw.matchAll(/<(?:s|n|d|filter|dynamicFilter|customFilter)\s[^>]*?\bva?l?="([^"]*)"/g))
      take(text!);
  }

  #inBytes(bytes: Uint8Array): Set<string> {
    const found = new Set<string>();
    const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    for (const text of [fold(buffer.toString('latin1')), fold(buffer.toString('utf16le'))]) {
      for (const [word, value] of [...this.#words, ...this.#phrases])
        if (word.length >= shortestInBytes && text.includes(word)) found.add(value);
    }
    return found;
  }
}

/** The sheet of the data without the rows that were filled in. */
function withoutRows(text: string, { block }: WorkbookTemplate, rows: number): string {
  const from = text.indexOf(`<row r="${block.headingRow + 1}"`);
  const last = text.indexOf(`<row r="${block.headingRow + rows}"`);
  if (from < 0 || last < 0) return text;
  const to = text.indexOf('</row>', last) + '</row>'.length;
  return text.slice(0, from) + text.slice(to);
}
