/** Letters that are told apart from afar and make no words. @see RFC 8628, section 6.1 */
const letters = 'BCDFGHJKLMNPQRSTVWXZ';
const length = 8;

/** A code for people, of 34 bits: `WDJB-MJHT`. @param random - bytes, more than enough of them */
export function userCode(random: Uint8Array): string {
  // Bytes beyond the last whole round would make some letters more likely.
  const fair = [...random].filter((one) => one < 240).slice(0, length);
  if (fair.length < length) throw new RangeError('too few random bytes');
  const text = fair.map((one) => letters[one % letters.length]).join('');
  return `${text.slice(0, 4)}-${text.slice(4)}`;
}

/** A code as somebody types it: case, spaces and hyphens do not matter. @returns undefined for what is none */
export function readUserCode(text: string): string | undefined {
  const plain = text.toUpperCase().replace(/[\s\-–—]/g, '');
  if (plain.length !== length || [...plain].some((one) => !letters.includes(one))) return undefined;
  return `${plain.slice(0, 4)}-${plain.slice(4)}`;
}
