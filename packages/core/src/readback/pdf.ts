import { inflateSync } from 'node:zlib';
import { damage } from './damage.ts';

/** Where each object of a document begins, by the table at its end. @throws {Refusal} `FILE_DAMAGED` */
function readOffsets(text: string): Map<number, number> {
  const start = Number(/startxref\s+(\d+)\s+%%EOF\s*$/.exec(text.slice(-64))?.[1] ?? NaN);
  const table = Number.isInteger(start) ? /^xref\n0 (\d+)\n/.exec(text.slice(start, start + 32)) : null;
  if (!text.startsWith('%PDF-') || !table) throw damage('The document has no table of its objects.');
  const first = start + table[0].length;
  const offsets = new Map<number, number>();
  for (let number = 0; number < Number(table[1]); number++) {
    const line = /^(\d{10}) \d{5} ([nf])/.exec(text.slice(first + number * 20, first + number * 20 + 18));
    if (!line) throw damage('The table of the document’s objects cannot be read.');
    if (line[2] === 'n') offsets.set(number, Number(line[1]));
  }
  return offsets;
}

/** The bytes of a stream that an object ends with; nothing for one without. @throws {Refusal} `FILE_DAMAGED` */
function streamOf(bytes: Buffer, text: string, at: number, dictionary: string): Buffer | undefined {
  const begin = at + dictionary.length;
  if (!text.startsWith('stream\n', begin)) return undefined;
  const length = Number(/\/Length (\d+)/.exec(dictionary)?.[1] ?? NaN);
  const from = begin + 'stream\n'.length;
  if (!Number.isInteger(length) || !text.startsWith('\nendstream', from + length))
    throw damage('A stream of the document has another length than it says.');
  return bytes.subarray(from, from + length);
}

/**
 * Reads a document back: that each object stands where the table says, that each stream has its length and can be
 * unpacked, and that there are as many pages as were drawn.
 *
 * @param bytes - as our printer writes it: one table of objects, none of them packed together
 * @throws {Refusal} `FILE_DAMAGED`
 * @see ISO 32000-1, sections 7.3.8 and 7.5.4
 */
export function checkPdf(bytes: Buffer, pages: number): void {
  const text = bytes.toString('latin1');
  const isEncrypted = /\/Encrypt \d/.test(text.slice(text.lastIndexOf('trailer')));
  let found = 0;
  for (const [number, at] of readOffsets(text)) {
    const heading = `${number} 0 obj\n`;
    if (!text.startsWith(heading, at)) throw damage(`Object ${number} of the document is not at its place.`);
    const end = text.slice(at, text.indexOf('endobj', at)).search(/stream\n|$/);
    const dictionary = text.slice(at, at + end);
    if (/\/Type \/Page\b(?!s)/.test(dictionary)) found++;
    const stream = streamOf(bytes, text, at, dictionary);
    if (stream === undefined || isEncrypted || !dictionary.includes('/FlateDecode')) continue;
    try {
      inflateSync(stream);
    } catch (cause) {
      throw damage(`Stream ${number} of the document cannot be unpacked.`, { cause });
    }
  }
  if (found !== pages) throw damage(`The document has ${found} pages, not ${pages}.`);
}
