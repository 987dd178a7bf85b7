import iconv from 'iconv-lite';
import type { TextEncoding } from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';

/** What the library answers for bytes and characters that an encoding does not have. */
const stopgap = '\ufffd';

function refuse(text: string, encoding: TextEncoding): never {
  const missing = [...text].find((one) => one === stopgap || !isHeld(one, encoding)) ?? stopgap;
  const number = missing.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0');
  throw new Refusal(
    'VALUE_INVALID',
    // Whoever reads of a failed run may not be allowed to see the row that the character stands in.
    `“${missing}” (U+${number}) cannot be written in ${encoding}.`,
    { word: missing, hint: 'Use utf-8.' },
  );
}

/** Whether an encoding has all characters of a text. */
export const isHeld = (text: string, encoding: TextEncoding): boolean =>
  iconv.decode(iconv.encode(text, encoding), encoding) === text;

/**
 * Makes bytes of text, piece by piece; what an encoding has no character for is refused, never replaced.
 *
 * @returns an encoder that throws `VALUE_INVALID`; UTF-16 is little-endian, and its mark is the caller's to write
 */
export function textEncoder(encoding: TextEncoding): (text: string) => Buffer {
  if (encoding === 'utf-8') return (text) => Buffer.from(text, 'utf8');
  if (encoding === 'utf-16') return (text) => Buffer.from(text, 'utf16le');
  return (text) => {
    const bytes = iconv.encode(text, encoding);
    return text.includes(stopgap) || iconv.decode(bytes, encoding) !== text ? refuse(text, encoding) : bytes;
  };
}
