const newline = 10;
const quote = 34;
const comma = 44;

/** Receives a piece of a chunk that belongs to one cut; the bytes must be copied before returning. */
export type TakeBytes = (cut: number, chunk: Buffer, start: number, end: number) => void;

export interface CutterOptions {
  /** So many leading fields of each row tell where it goes; they are not part of the copy. */
  readonly prefixFields: number;
  /**
   * Where rows with this prefix go: the number of the cut, or -1 to drop them. Asked once per change of prefix.
   *
   * @throws to stop the run
   */
  readonly route: (fields: (string | null)[]) => number;
  readonly take: TakeBytes;
}

/** The fields of a CSV prefix; missing (unquoted and empty) is null. */
export function readFields(text: string): (string | null)[] {
  const fields: (string | null)[] = [];
  let at = 0;
  while (at <= text.length) {
    if (text[at] === '"') {
      let end = at + 1;
      while (text[end] !== '"' || text[end + 1] === '"') end += text[end] === '"' ? 2 : 1;
      fields.push(text.slice(at + 1, end).replaceAll('""', '"'));
      at = end + 2;
    } else {
      const end = text.indexOf(',', at);
      const field = end < 0 ? text.slice(at) : text.slice(at, end);
      fields.push(field === '' ? null : field);
      if (end < 0) break;
      at = end + 1;
    }
  }
  return fields;
}

/**
 * Cuts a stream of CSV rows into one piece per recipient while it flows, on bytes: no row becomes an object, and rows
 * with the same prefix as the one before cost a comparison of a few bytes.
 *
 * Rows end in a line feed outside quotes, as PostgreSQL's COPY writes them; fields may hold commas, quotes and line feeds.
 */
export class RowCutter {
  readonly #options: CutterOptions;
  #carry: Buffer | undefined;
  /** The last prefix with its closing comma, and where it leads. */
  #prefix: Buffer = Buffer.alloc(0);
  #cut = -1;
  #rows = 0;

  constructor(options: CutterOptions) {
    this.#options = options;
  }

  /** Rows seen so far. */
  get rows(): number {
    return this.#rows;
  }

  push(chunk: Buffer): void {
    const data = this.#carry === undefined ? chunk : Buffer.concat([this.#carry, chunk]);
    let nextQuote = data.indexOf(quote);
    let start = 0;
    let from = 0;
    let isQuoted = false;
    for (;;) {
      const end = data.indexOf(newline, from);
      if (end < 0) break;
      for (; nextQuote >= 0 && nextQuote < end; nextQuote = data.indexOf(quote, nextQuote + 1)) isQuoted = !isQuoted;
      from = end + 1;
      // A line feed between quotes belongs to a field.
      if (isQuoted) continue;
      this.#row(data, start, from);
      start = from;
    }
    // The rest is copied, so that the chunk's memory can be used again.
    this.#carry = start === data.length ? undefined : Buffer.from(data.subarray(start));
  }

  /** @throws {TypeError} when the stream ended in the middle of a row */
  end(): void {
    if (this.#carry !== undefined) throw new TypeError('the rows ended in the middle of one');
  }

  #row(data: Buffer, start: number, end: number): void {
    this.#rows++;
    if (!this.#hasSamePrefix(data, start, end)) {
      const prefixEnd = endOfFields(data, start, this.#options.prefixFields);
      this.#prefix = Buffer.from(data.subarray(start, prefixEnd));
      this.#cut = this.#options.route(readFields(this.#prefix.toString('utf8', 0, this.#prefix.length - 1)));
    }
    if (this.#cut >= 0) this.#options.take(this.#cut, data, start + this.#prefix.length, end);
  }

  #hasSamePrefix(data: Buffer, start: number, end: number): boolean {
    const prefix = this.#prefix;
    const { length } = prefix;
    if (length === 0 || end - start < length) return false;
    // From the back: neighbouring values differ in their last characters.
    for (let i = length - 1; i >= 0; i--) if (data[start + i] !== prefix[i]) return false;
    return true;
  }
}

/** The offset after so many fields and their commas. */
function endOfFields(data: Buffer, start: number, count: number): number {
  let at = start;
  for (let field = 0; field < count; field++) {
    if (data[at] === quote) {
      at++;
      while (data[at] !== quote || data[at + 1] === quote) at += data[at] === quote ? 2 : 1;
    }
    while (data[at] !== comma) at++;
    at++;
  }
  return at;
}
