import { createReadStream, createWriteStream } from 'node:fs';
import { open } from 'node:fs/promises';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { parse } from 'csv-parse';
import { parse as parseText } from 'csv-parse/sync';
import iconv from 'iconv-lite';
import {
  fileSeparators,
  separatorSigns,
  type FileDialect,
  type FileEncoding,
  type FileSeparator,
} from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';

const sniffedBytes = 65_536;

async function head(path: string, bytes: number, from = 0): Promise<Buffer> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(bytes), 0, bytes, from);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}

/** Where a file stops being UTF-8, bytes from its start; nothing where it is UTF-8 throughout. */
async function firstNotUtf8(path: string): Promise<number | undefined> {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let offset = 0;
  for await (const chunk of createReadStream(path) as AsyncIterable<Buffer>) {
    try {
      decoder.decode(chunk, { stream: true });
    } catch {
      return offset + brokenAt(chunk);
    }
    offset += chunk.length;
  }
  try {
    decoder.decode();
    return undefined;
  } catch {
    return offset - 1;
  }
}

/** The first byte of a piece that is not UTF-8, searched for by halves. */
function brokenAt(chunk: Buffer): number {
  const isFine = (length: number) => {
    try {
      new TextDecoder('utf-8', { fatal: true }).decode(chunk.subarray(0, length), { stream: true });
      return true;
    } catch {
      return false;
    }
  };
  let [fine, broken] = [0, chunk.length];
  while (broken - fine > 1) {
    const middle = (fine + broken) >> 1;
    if (isFine(middle)) fine = middle;
    else broken = middle;
  }
  return fine;
}

const guessable = ['windows-1252', 'iso-8859-15', 'windows-1250', 'windows-1251', 'windows-1253'] as const;

/** How many characters around a place are shown. */
const shownAround = 24;

/** A file that says of itself nothing, shown as each encoding would read it. */
async function refuseEncoding(path: string, at: number): Promise<never> {
  const from = Math.max(0, at - shownAround);
  const bytes = await head(path, shownAround * 2, from);
  const lineStart = bytes.lastIndexOf(10, at - from - 1) + 1;
  const lineEnd = bytes.indexOf(10, at - from);
  const shown = bytes.subarray(lineStart, lineEnd < 0 ? undefined : lineEnd);
  throw new Refusal('FILE_NOT_UTF8', 'The file is not UTF-8 text.', {
    pointer: `near byte ${at}`,
    problems: guessable.map((encoding) => ({
      at: encoding,
      message: `“${iconv.decode(shown, encoding).replace(/\p{Cc}/gu, '')}”`,
    })),
    hint: 'Set the encoding: use the one below that reads right, or save the file as UTF-8.',
  });
}

async function findEncoding(path: string, { encoding }: FileDialect, known: FileDialect): Promise<FileEncoding> {
  if (encoding !== undefined && encoding !== 'utf-8') return encoding;
  const mark = await head(path, 2);
  if (mark.equals(Buffer.from([0xff, 0xfe])) || mark.equals(Buffer.from([0xfe, 0xff]))) return 'utf-16';
  const broken = await firstNotUtf8(path);
  if (broken === undefined) return 'utf-8';
  if (encoding === undefined && known.encoding !== undefined && known.encoding !== 'utf-8') return known.encoding;
  return refuseEncoding(path, broken);
}

/** Writes a file of another encoding as UTF-8. @throws {Refusal} `FILE_MALFORMED` for bytes that the encoding does not have */
async function toUtf8(from: string, to: string, encoding: FileEncoding): Promise<void> {
  const strict = new Transform({
    decodeStrings: false,
    encoding: 'utf8',
    transform(text: string, _, done) {
      if (!text.includes('\ufffd')) return done(null, text);
      const hint = 'say how it is written (encoding), or save it as UTF-8';
      done(new Refusal('FILE_MALFORMED', `The file has bytes that ${encoding} does not have.`, { hint }));
    },
  });
  await pipeline(createReadStream(from), iconv.decodeStream(encoding), strict, createWriteStream(to));
}

/** How many cells the first rows have when they are parted by a sign. */
function widths(text: string, sign: string): number[] | undefined {
  try {
    const rows = parseText(text, {
      bom: true,
      delimiter: sign,
      relax_column_count: true,
      skip_empty_lines: true,
      to: 200,
    }) as string[][];
    return rows.map((row) => row.length);
  } catch {
    return undefined;
  }
}

/**
 * The sign that parts cells: the one by which all of the first rows have as many cells as the headings.
 *
 * @throws {Refusal} `FILE_AMBIGUOUS` where two signs do
 */
export function findSeparator(start: string, { separator }: FileDialect, known: FileDialect): FileSeparator {
  if (separator !== undefined) return separator;
  // The last line may have been cut off.
  const text = start.length < sniffedBytes ? start : start.slice(0, start.lastIndexOf('\n') + 1);
  const tried = fileSeparators.flatMap((name) => {
    const found = widths(text, separatorSigns[name]);
    return found && found[0]! > 1 ? [{ name, width: found[0]!, isEven: found.every((one) => one === found[0]) }] : [];
  });
  const even = tried.filter((one) => one.isEven);
  const likely = even.length > 0 ? even : tried;
  if (likely.length <= 1) return likely[0]?.name ?? known.separator ?? 'comma';
  const settled = likely.find((one) => one.name === known.separator);
  if (settled) return settled.name;
  if (even.length === 0) return likely.reduce((best, one) => (one.width > best.width ? one : best)).name;
  throw new Refusal('FILE_AMBIGUOUS', 'The separator is not clear.', {
    pointer: 'separator',
    problems: even.map((one) => ({ at: one.name, message: `gives ${one.width} columns` })),
    hint: `Set it (separator): ${even.map((one) => one.name).join(' or ')}.`,
  });
}

/**
 * Brings a file of cells into the one form that everything after it reads: UTF-8.
 *
 * @param said - what somebody said of it
 * @param known - what was settled for an earlier file; counts where the file leaves it open
 * @returns where its text lies, and how it is written
 * @throws {Refusal} `FILE_NOT_UTF8`, `FILE_AMBIGUOUS`, `FILE_MALFORMED`
 */
export async function readDialect(
  raw: string,
  converted: string,
  said: FileDialect,
  known: FileDialect,
): Promise<{ path: string; encoding: FileEncoding; separator: FileSeparator }> {
  const encoding = await findEncoding(raw, said, known);
  if (encoding !== 'utf-8') await toUtf8(raw, converted, encoding);
  const path = encoding === 'utf-8' ? raw : converted;
  const start = new TextDecoder().decode(await head(path, sniffedBytes), { stream: true });
  return { path, encoding, separator: findSeparator(start, said, known) };
}

/** A reader of cells, whatever parts them. */
export const cellParser = (separator: FileSeparator, maxRecordBytes?: number) =>
  parse({
    bom: true,
    delimiter: separatorSigns[separator],
    skip_empty_lines: true,
    ...(maxRecordBytes === undefined ? {} : { max_record_size: maxRecordBytes }),
  });
