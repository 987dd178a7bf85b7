const quote = 0x22;
const lineFeed = 0x0a;
const carriageReturn = 0x0d;

/**
 * Ends the lines of CSV as RFC 4180 wants it, where they come with a line feed alone, as a database writes them; what
 * stands in quotes stays as it is. Pieces may break off anywhere.
 */
export class CsvLineEnds {
  /** A doubled quote within a field ends and begins it once more, which comes to the same. */
  #isQuoted = false;

  push(piece: Uint8Array): Uint8Array {
    let ends = 0;
    for (const byte of piece) if (byte === lineFeed) ends++;
    const out = new Uint8Array(piece.length + ends);
    let length = 0;
    for (const byte of piece) {
      if (byte === quote) this.#isQuoted = !this.#isQuoted;
      if (byte === lineFeed && !this.#isQuoted) out[length++] = carriageReturn;
      out[length++] = byte;
    }
    return out.subarray(0, length);
  }
}
