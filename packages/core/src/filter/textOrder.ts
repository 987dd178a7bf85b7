/** Text by code point, as PostgreSQL's collation "C" does on UTF-8; JavaScript's own `<` goes by UTF-16 units. */
export function compareText(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    let x = a.charCodeAt(i);
    let y = b.charCodeAt(i);
    if (x === y) continue;
    // Surrogates stand for code points above U+FFFF, so they sort after everything else.
    if (x >= 0xd800 && x <= 0xdfff) x += 0x10000;
    if (y >= 0xd800 && y <= 0xdfff) y += 0x10000;
    return x - y;
  }
  return a.length - b.length;
}
