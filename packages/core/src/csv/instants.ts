const quote = 0x22;
const comma = 0x2c;
const space = 0x20;
const colon = 0x3a;
const plus = 0x2b;
const minus = 0x2d;
const zero = 0x30;
const nine = 0x39;
const letterT = 0x54;
/** `:00`; `T` takes the place of a space. */
const mostAdded = 3;
/** A shorter rest of a row is moved faster byte by byte. */
const shortRest = 128;

/**
 * Writes the instants in rows of CSV as RFC 3339 has them, on bytes: PostgreSQL's `2026-07-01 08:00:00+02` becomes
 * `2026-07-01T08:00:00+02:00`. Other fields stay as they are, and so do `infinity`, which has no such form, and minutes of
 * an offset that are there already.
 *
 * The server writes its own form several times faster than one that it is told.
 */
export class InstantFields {
  readonly #fields: readonly number[];

  /** @param fields - which fields of each row hold instants, from 0, in rising order */
  constructor(fields: readonly number[]) {
    this.#fields = fields;
  }

  /** Whether there is anything to write. */
  get isEmpty(): boolean {
    return this.#fields.length === 0;
  }

  /** So many bytes are needed at most for so many rows that have so many together. */
  room(bytes: number, rows = 1): number {
    return bytes + rows * this.#fields.length * mostAdded;
  }

  /**
   * Writes a row.
   *
   * @param into - has `room` for it, and shares no byte with the row
   * @param to - where in `into` the row begins
   * @returns where it ends
   */
  write(data: Uint8Array, start: number, end: number, into: Uint8Array, to: number): number {
    let at = start;
    let field = 0;
    for (const wanted of this.#fields) {
      for (; field < wanted; field++) {
        let isQuoted = false;
        for (; at < end && (isQuoted || data[at] !== comma); at++) {
          if (data[at] === quote) isQuoted = !isQuoted;
          into[to++] = data[at]!;
        }
        if (at < end) into[to++] = data[at++]!;
      }
      // Nothing that begins otherwise is an instant: a missing one, or one without end.
      let isTime = false;
      const mayBeTime = at < end && data[at]! >= zero && data[at]! <= nine;
      while (mayBeTime && at < end && data[at] !== comma) {
        const byte = data[at++]!;
        into[to++] = byte === space && !isTime ? letterT : byte;
        if (byte === space) isTime = true;
        if (!isTime || (byte !== plus && byte !== minus)) continue;
        into[to++] = data[at++]!;
        into[to++] = data[at++]!;
        if (data[at] === colon) continue;
        into[to++] = colon;
        into[to++] = zero;
        into[to++] = zero;
      }
    }
    if (end - at > shortRest) into.set(data.subarray(at, end), to);
    else for (let i = at; i < end; i++) into[to + i - at] = data[i]!;
    return to + end - at;
  }
}
