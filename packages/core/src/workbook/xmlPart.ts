import { SaxesParser } from 'saxes';

/** An element of a part, with the places where it stands in the part's text. */
export interface Element {
  /** Without its prefix. */
  readonly name: string;
  /** By name as written, prefix included; values decoded. */
  readonly attributes: Readonly<Record<string, string>>;
  readonly parent: Element | undefined;
  /** Of its opening tag. */
  readonly start: number;
  /** Where what it holds begins; equal to `end` when it closes itself. */
  readonly innerStart: number;
  innerEnd: number;
  end: number;
}

/**
 * Lists the elements of a part in the order they open, with their places in the text.
 *
 * @throws {Error} for text that is not well-formed XML, or that declares a document type
 */
export function readElements(text: string): Element[] {
  const found: Element[] = [];
  const open: Element[] = [];
  const parser = new SaxesParser({ position: true });
  parser.on('error', (error) => {
    throw error;
  });
  parser.on('doctype', () => {
    throw new Error('a document type has no place in a workbook');
  });
  parser.on('opentag', (tag) => {
    const innerStart = parser.position;
    const element: Element = {
      name: tag.name.slice(tag.name.indexOf(':') + 1),
      attributes: tag.attributes as Record<string, string>,
      parent: open.at(-1),
      // A `<` cannot stand inside a tag, so the last one before its end opened it.
      start: text.lastIndexOf('<', innerStart - 1),
      innerStart,
      innerEnd: innerStart,
      end: innerStart,
    };
    found.push(element);
    open.push(element);
  });
  parser.on('closetag', (tag) => {
    const element = open.pop()!;
    if (tag.isSelfClosing) return;
    element.end = parser.position;
    element.innerEnd = text.lastIndexOf('<', element.end - 1);
  });
  parser.write(text).close();
  return found;
}

export const childrenOf = (all: readonly Element[], parent: Element): Element[] =>
  all.filter((one) => one.parent === parent);

/** Whether an element stands somewhere inside another. */
export function isInside(element: Element, outer: Element): boolean {
  return element.start >= outer.innerStart && element.end <= outer.innerEnd;
}

/** Text with changes at some places; everything between them stays as it was. */
export class Edits {
  readonly #text: string;
  readonly #changes: { from: number; to: number; text: string }[] = [];

  constructor(text: string) {
    this.#text = text;
  }

  replace(from: number, to: number, text: string): void {
    this.#changes.push({ from, to, text });
  }

  remove({ start, end }: Element): void {
    this.replace(start, end, '');
  }

  /** Changes attributes in an opening tag; `undefined` takes one away. Values are written as they are given. */
  setAttributes(element: Element, changes: Readonly<Record<string, string | undefined>>): void {
    let tag = this.#text.slice(element.start, element.innerStart);
    for (const [name, value] of Object.entries(changes)) {
      const known = new RegExp(`\\s${name}\\s*=\\s*("[^"]*"|'[^']*')`);
      if (known.test(tag)) tag = tag.replace(known, () => (value === undefined ? '' : ` ${name}="${value}"`));
      else if (value !== undefined) tag = tag.replace(/\s*\/?>$/, (end) => ` ${name}="${value}"${end.trim()}`);
    }
    this.replace(element.start, element.innerStart, tag);
  }

  /** The text with all changes; one that lies within another is dropped. */
  apply(): string {
    let at = 0;
    let result = '';
    // What is put in before an element comes before whatever happens to that element; of two others the wider counts.
    const width = ({ from, to }: { from: number; to: number }) => (to === from ? Infinity : to - from);
    for (const one of this.#changes.sort((a, b) => a.from - b.from || width(b) - width(a))) {
      if (one.from < at) continue;
      result += this.#text.slice(at, one.from) + one.text;
      at = one.to;
    }
    return result + this.#text.slice(at);
  }
}
