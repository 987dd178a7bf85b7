import { once } from 'node:events';
import { crc32, createInflateRaw } from 'node:zlib';
import { damage } from './damage.ts';

/** Reads bytes of a finished file: `length` of them from an offset, fewer at its end. */
export type ReadBytes = (offset: number, length: number) => Uint8Array;

/** Bytes that are read and unpacked at once. */
const pieceLength = 1_048_576;
const endLength = 22;
const signature = { local: 0x04034b50, central: 0x02014b50, end: 0x06054b50 } as const;

/** An entry as the directory at the end of an archive describes it. */
interface Entry {
  readonly name: string;
  /** Version, flags, method, time and date: the same again before the entry’s bytes. */
  readonly heading: Buffer;
  readonly method: number;
  readonly crc: number;
  readonly packedLength: number;
  readonly length: number;
  readonly at: number;
}

/** The directory at the end of an archive. @throws {Refusal} `FILE_DAMAGED` */
function readDirectory(read: ReadBytes, length: number): Entry[] {
  const end = Buffer.from(read(Math.max(0, length - endLength), endLength));
  if (end.length < endLength || end.readUInt32LE(0) !== signature.end) throw damage('The archive has no end.');
  const count = end.readUInt16LE(10);
  const size = end.readUInt32LE(12);
  const at = end.readUInt32LE(16);
  if (at + size + endLength !== length) throw damage('The directory of the archive does not fit its length.');
  const bytes = Buffer.from(read(at, size));
  const entries: Entry[] = [];
  for (let from = 0; from < size;) {
    if (from + 46 > size || bytes.readUInt32LE(from) !== signature.central)
      throw damage('The directory of the archive cannot be read.');
    const nameLength = bytes.readUInt16LE(from + 28);
    entries.push({
      name: bytes.toString('utf8', from + 46, from + 46 + nameLength),
      heading: bytes.subarray(from + 6, from + 16),
      method: bytes.readUInt16LE(from + 10),
      crc: bytes.readUInt32LE(from + 16),
      packedLength: bytes.readUInt32LE(from + 20),
      length: bytes.readUInt32LE(from + 24),
      at: bytes.readUInt32LE(from + 42),
    });
    from += 46 + nameLength + bytes.readUInt16LE(from + 30) + bytes.readUInt16LE(from + 32);
  }
  if (entries.length !== count) throw damage('The directory of the archive is not complete.');
  return entries;
}

/** Unpacks one entry and compares it with what the directory says of it; nothing of it is kept. */
async function checkEntry(read: ReadBytes, entry: Entry): Promise<void> {
  const { name, at, packedLength } = entry;
  const local = Buffer.from(read(at, 30));
  if (local.length < 30 || local.readUInt32LE(0) !== signature.local) throw damage(`“${name}” is not at its place.`);
  const nameLength = local.readUInt16LE(26);
  const shown = Buffer.from(read(at + 30, nameLength)).toString('utf8');
  // With this flag, checksum and lengths stand only in the directory.
  const isDeferred = (local.readUInt16LE(6) & 8) !== 0;
  const numbers = [local.readUInt32LE(14), local.readUInt32LE(18), local.readUInt32LE(22)];
  const expected = isDeferred ? [0, 0, 0] : [entry.crc, packedLength, entry.length];
  const isSame = local.subarray(4, 14).equals(entry.heading) && numbers.every((one, i) => one === expected[i]);
  if (!isSame || shown !== name) throw damage(`The heading of “${name}” is wrong.`);
  const from = at + 30 + nameLength + local.readUInt16LE(28);
  let crc = 0;
  let length = 0;
  const count = (piece: Uint8Array) => {
    length += piece.length;
    // Without this, the sum of no bytes would be 0, whatever came before.
    if (piece.length > 0) crc = crc32(piece, crc);
  };
  if (entry.method === 0)
    for (let done = 0; done < packedLength; done += pieceLength)
      count(read(from + done, Math.min(pieceLength, packedLength - done)));
  else await inflate(read, { from, length: packedLength, name }, count);
  if (length !== entry.length) throw damage(`“${name}” has ${length} bytes, not ${entry.length}.`);
  if (crc !== entry.crc) throw damage(`The checksum of “${name}” is wrong.`);
}

async function inflate(
  read: ReadBytes,
  { from, length, name }: { from: number; length: number; name: string },
  count: (piece: Uint8Array) => void,
): Promise<void> {
  const inflater = createInflateRaw();
  inflater.on('data', count);
  const ended = once(inflater, 'end');
  ended.catch(() => undefined);
  try {
    for (let done = 0; done < length; done += pieceLength)
      if (!inflater.write(read(from + done, Math.min(pieceLength, length - done)))) await once(inflater, 'drain');
    inflater.end();
    await ended;
  } catch (cause) {
    throw damage(`“${name}” cannot be unpacked.`, { cause });
  } finally {
    inflater.destroy();
  }
}

/**
 * Reads an archive back: its directory, and the length and checksum of each of its parts. The memory that this needs does
 * not grow with the archive.
 *
 * @param length - of the whole archive, bytes
 * @throws {Refusal} `FILE_DAMAGED`, with the part
 * @see APPNOTE of the ZIP format, sections 4.3 and 4.4
 */
export async function checkArchive(read: ReadBytes, length: number): Promise<void> {
  const entries = readDirectory(read, length);
  for (const entry of entries) await checkEntry(read, entry);
}

/** Reads an archive back that is in memory. @throws {Refusal} `FILE_DAMAGED` */
export const checkArchiveBytes = (bytes: Uint8Array): Promise<void> =>
  checkArchive((offset, length) => bytes.subarray(offset, offset + length), bytes.length);
