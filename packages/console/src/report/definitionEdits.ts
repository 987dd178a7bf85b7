import { applyEdits, findNodeAtLocation, modify, parseTree, type JSONPath, type Node } from 'jsonc-parser';
import type { GridPlace } from '@underbell/core/report';

/** Longer values get a line for each of their parts. */
const longestLine = 70;

/** How far a text sets in, as far as it shows. */
const unitOf = (text: string): string => /\n([ \t]+)\S/.exec(text)?.[1] ?? '  ';
/** The white space at the beginning of a place's line. */
const indentAt = (text: string, offset: number): string =>
  /^[ \t]*/.exec(text.slice(text.lastIndexOf('\n', offset - 1) + 1))![0];

function oneLine(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(oneLine).join(', ')}]`;
  if (typeof value !== 'object' || value === null) return JSON.stringify(value);
  const parts = Object.entries(value).map(([key, one]) => `${JSON.stringify(key)}: ${oneLine(one)}`);
  return parts.length === 0 ? '{}' : `{ ${parts.join(', ')} }`;
}

function write(value: unknown, unit: string, indent: string): string {
  const line = oneLine(value);
  if (line.length <= longestLine) return line;
  return JSON.stringify(value, null, unit).replaceAll('\n', `\n${indent}`);
}

/** Adds a property or an element after the last one, set apart as those before it are. */
function insert(text: string, parent: Node, key: string | undefined, value: unknown): string {
  const unit = unitOf(text);
  const last = parent.children?.at(-1);
  const before = parent.children?.at(-2);
  const end = last ? last.offset + last.length : parent.offset + 1;
  const isLong = text.slice(parent.offset, parent.offset + parent.length).includes('\n');
  const indent = last ? indentAt(text, last.offset) : indentAt(text, parent.offset) + unit;
  const between = before && text.slice(before.offset + before.length, last!.offset).replace(/^\s*,/, '');
  const gap = between ?? (isLong ? `\n${indent}` : ' ');
  const written = write(value, unit, indent);
  const piece = key === undefined ? written : `${JSON.stringify(key)}: ${written}`;
  if (last) return `${text.slice(0, end)},${gap}${piece}${text.slice(end)}`;
  return `${text.slice(0, end)} ${piece} ${text.slice(end).trimStart()}`;
}

/**
 * Changes one value of a definition in its text; everything else stays as its author wrote it, to the letter.
 *
 * @param path - of names and positions: `['pages', 0, 'title']`; -1 is the end of a list
 * @param value - taken away when undefined
 * @returns the text as it was where it leads nowhere
 */
export function setAt(text: string, path: JSONPath, value: unknown): string {
  const root = parseTree(text);
  if (!root) return text;
  const found = findNodeAtLocation(root, path);
  if (found && value === undefined) return applyEdits(text, modify(text, path, undefined, {}));
  if (found) {
    const written = write(value, unitOf(text), indentAt(text, found.offset));
    return text.slice(0, found.offset) + written + text.slice(found.offset + found.length);
  }
  const parent = findNodeAtLocation(root, path.slice(0, -1));
  if (!parent || value === undefined) return text;
  const key = path.at(-1)!;
  return insert(text, parent, parent.type === 'array' ? undefined : String(key), value);
}

/** Adds something to the end of a list. */
export function addTo(text: string, path: JSONPath, value: unknown): string {
  return setAt(text, [...path, -1], value);
}

const sides = ['column', 'row', 'width', 'height'] as const;

/**
 * Puts the figures of a page where they were dragged to: number by number, so that each place stays written as it was.
 *
 * @param before - as they stand in the text, in its order
 */
export function moveFigures(
  text: string,
  page: number,
  before: readonly { readonly name: string; readonly at: GridPlace }[],
  after: readonly { readonly name: string; readonly at: GridPlace }[],
): string {
  let moved = text;
  for (const [i, { name, at }] of before.entries()) {
    const to = after.find((one) => one.name === name)?.at ?? at;
    for (const side of sides)
      if (to[side] !== at[side]) moved = setAt(moved, ['pages', page, 'figures', i, 'at', side], to[side]);
  }
  return moved;
}
