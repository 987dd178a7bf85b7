const quote = 34;
const comma = 44;

/** Receives a row that belongs to one cut, without what ends it; the bytes must be copied before returning. */
export type TakeBytes = (cut: number, chunk: Buffer, start: number, end: number) => void;

export interface CutterOptions {
  /** So many leading fields of each row tell where it goes; they are not part of the copy. */
  readonly prefixFields: number;
  /**
   * Where rows with this prefix go: the numbers of the cuts, none to drop them. Asked once per change of prefix.
   *
   * @throws to stop the run
   */
  readonly route: (fields: (string | null)[]) => readonly number[];
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

/** So many routes are kept; a stream that is not laid out by what it is cut by comes back to them row by row. */
const mostKept = 20_000;

/**
 * Cuts CSV rows into one piece per recipient while they flow, on bytes: no row becomes an object, and rows with the same
 * prefix as the one before cost a comparison of a few bytes. Fields may hold commas, quotes and line feeds.
 */
export class RowCutter {
  readonly #options: CutterOptions;
  /** The last prefix with its closing comma, and where it leads. */
  #prefix: Buffer = Buffer.alloc(0);
  #cuts: readonly number[] = [];
  readonly #known = new Map<string, readonly number[]>();
  #rows = 0;

  constructor(options: CutterOptions) {
    this.#options = options;
  }

  /** Rows seen so far. */
  get rows(): number {
    return this.#rows;
  }

  /** Takes one row with its closing line feed. */
  readonly row = (data: Buffer, start: number, end: number): void => {
    this.#rows++;
    if (!this.#hasSamePrefix(data, start, end)) {
      const prefixEnd = endOfFields(data, start, this.#options.prefixFields);
      this.#prefix = Buffer.from(data.subarray(start, prefixEnd));
      this.#cuts = this.#routeOf(this.#prefix);
    }
    const from = start + this.#prefix.length;
    const cuts = this.#cuts;
    for (let i = 0; i < cuts.length; i++) this.#options.take(cuts[i]!, data, from, end - 1);
  };

  #routeOf(prefix: Buffer): readonly number[] {
    // Each byte as a character of its own: only a name to remember it by.
    const name = prefix.toString('latin1');
    const known = this.#known.get(name);
    if (known) return known;
    const { length } = prefix;
    const cuts = this.#options.route(length === 0 ? [] : readFields(prefix.toString('utf8', 0, length - 1)));
    if (this.#known.size >= mostKept) this.#known.clear();
    this.#known.set(name, cuts);
    return cuts;
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
