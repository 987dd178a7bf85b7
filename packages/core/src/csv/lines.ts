import { InstantFields } from './instants.ts';

const quote = 0x22;
const lineFeed = 0x0a;
const carriageReturn = 0x0d;

/**
 * Rows of CSV as RFC 4180 ends them and RFC 3339 writes their instants, out of those that a database writes, whose lines
 * end with a line feed alone; what stands in quotes stays as it is. Pieces may break off anywhere.
 */
export class CsvLines {
  readonly #instants: InstantFields;
  /** The pieces of a row that is not whole yet. */
  #rest: Uint8Array[] = [];
  /** A doubled quote within a field ends and begins it once more, which comes to the same. */
  #isQuoted = false;

  /** @param instants - which fields of each row hold instants, from 0, in rising order */
  constructor(instants: readonly number[]) {
    this.#instants = new InstantFields(instants);
  }

  /** @returns the rows that are whole now */
  push(piece: Uint8Array): Uint8Array {
    const ends: number[] = [];
    for (let at = 0; at < piece.length; at++) {
      if (piece[at] === quote) this.#isQuoted = !this.#isQuoted;
      else if (piece[at] === lineFeed && !this.#isQuoted) ends.push(at + 1);
    }
    if (ends.length === 0) {
      // The piece may lie in memory that is used again.
      this.#rest.push(piece.slice());
      return new Uint8Array(0);
    }
    const whole = ends.at(-1)!;
    const rows = Buffer.concat([...this.#rest, piece.subarray(0, whole)]);
    const before = rows.length - whole;
    this.#rest = [piece.slice(whole)];
    const out = new Uint8Array(this.#instants.room(rows.length, ends.length) + ends.length);
    let length = 0;
    let start = 0;
    for (const end of ends) {
      length = this.#instants.write(rows, start, before + end - 1, out, length);
      out[length++] = carriageReturn;
      out[length++] = lineFeed;
      start = before + end;
    }
    return out.subarray(0, length);
  }
}
