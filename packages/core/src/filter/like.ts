/** LIKE of SQL as a test: `%` any run, `_` one character, `\` makes the next one plain. Linear, without backtracking over `%`. */
export function likeTest(pattern: string): (text: string) => boolean {
  const parts: (string | 'one' | 'any')[][] = [[]];
  const literal = (char: string) => parts.at(-1)!.push(`=${char}`);
  const chars = [...pattern];
  for (let i = 0; i < chars.length; i++) {
    if (chars[i] === '\\') literal(chars[++i]!);
    else if (chars[i] === '%') parts.push([]);
    else if (chars[i] === '_') parts.at(-1)!.push('one');
    else literal(chars[i]!);
  }
  return (text) => matchParts([...text], parts);
}

function matchesAt(text: readonly string[], at: number, part: readonly string[]): boolean {
  return at + part.length <= text.length && part.every((one, i) => one === 'one' || one === `=${text[at + i]}`);
}

function matchParts(text: readonly string[], parts: readonly (readonly string[])[]): boolean {
  const first = parts[0]!;
  if (!matchesAt(text, 0, first)) return false;
  if (parts.length === 1) return first.length === text.length;
  let at = first.length;
  for (const part of parts.slice(1, -1)) {
    while (at <= text.length - part.length && !matchesAt(text, at, part)) at++;
    if (!matchesAt(text, at, part)) return false;
    at += part.length;
  }
  const last = parts.at(-1)!;
  const tail = text.length - last.length;
  return tail >= at && matchesAt(text, tail, last);
}
