import { crc32 } from 'node:zlib';
import { damage } from './damage.ts';

const signature = Buffer.from('\x89PNG\r\n\x1a\n', 'latin1');

/** Reads an image back: its chunks, each with its checksum, up to the last. @throws {Refusal} `FILE_DAMAGED` @see PNG, section 5 */
export function checkPng(bytes: Buffer): void {
  if (!bytes.subarray(0, 8).equals(signature)) throw damage('The image has no beginning.');
  for (let at = 8; at + 12 <= bytes.length;) {
    const length = bytes.readUInt32BE(at);
    const end = at + 8 + length;
    if (end + 4 > bytes.length || crc32(bytes.subarray(at + 4, end)) !== bytes.readUInt32BE(end))
      throw damage('The checksum of a part of the image is wrong.');
    if (bytes.toString('latin1', at + 4, at + 8) === 'IEND' && end + 4 === bytes.length) return;
    at = end + 4;
  }
  throw damage('The image has no end.');
}
