import { refuseAt } from './refuse.ts';
import { keywords, maxFilterLength, type Span } from './tree.ts';

export type Token =
  | {
      readonly kind: 'text' | 'name' | 'quotedName' | 'keyword' | 'symbol';
      readonly value: string;
      readonly span: Span;
    }
  | { readonly kind: 'number'; readonly value: string; readonly span: Span }
  | { readonly kind: 'end'; readonly value: ''; readonly span: Span };

const space = /\s/u;
const nameStart = /[\p{L}_]/u;
const number = /(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?/y;
const name = /[\p{L}_][\p{L}\p{N}_.]*/uy;
const symbols = ['<>', '<=', '>=', '=', '<', '>', '(', ')', ',', '+', '-', '*', '/', '%', '^'];
const smartQuotes = new Set(['‘', '’', '‚', '‛', '“', '”', '„', '«', '»', '‹', '›', '′', '″', '`', '´']);

/** The hint for a character that no CQL2 text can hold, for the mistakes people make most. */
function strayHint(text: string, at: number): string | undefined {
  const char = text[at]!;
  if (smartQuotes.has(char)) return "Put text in straight quotes: 'like this'";
  if (text.startsWith('!=', at)) return 'Write “not equal” as <>.';
  if (text.startsWith('&&', at)) return 'write AND';
  if (char === '?' || char === '&') return 'this looks like a piece of a web address; write conditions with AND';
  if (char === '|') return 'write OR';
  if (char === '[' || char === ']') return "Write a list in parentheses: ('a', 'b')";
  if (char === '{' || char === '}') return 'A JSON filter starts with { and must be valid JSON.';
  if (char === '\\') return "Double a quote inside a text: 'Skipper''s Quay'";
  if (char === ';') return 'a filter is one expression; leave the semicolon out';
  return undefined;
}

/** Reads a delimited piece whose delimiter is doubled inside; returns the content and the end offset. */
function readQuoted(text: string, start: number, quote: string): { value: string; end: number } {
  const parts: string[] = [];
  let from = start + 1;
  for (;;) {
    const close = text.indexOf(quote, from);
    if (close < 0) {
      const what = quote === "'" ? 'text' : 'name';
      throw refuseAt(
        text,
        { start, end: text.length },
        {
          code: 'FILTER_SYNTAX',
          message: `A ${what} that starts here has no closing ${quote}.`,
          hint: quote === "'" ? "Double a quote inside a text: 'Skipper''s Quay'" : undefined,
        },
      );
    }
    parts.push(text.slice(from, close));
    if (text[close + 1] !== quote) return { value: parts.join(quote), end: close + 1 };
    from = close + 2;
  }
}

/**
 * Cuts a CQL2 text into tokens, in time linear in its length.
 *
 * @throws {Refusal} `FILTER_TOO_LONG`, `FILTER_SYNTAX`
 * @see OGC 21-065r2, annex B (the BNF's lexical rules)
 */
export function lex(text: string): Token[] {
  if (text.length > maxFilterLength) {
    throw refuseAt(
      text,
      { start: maxFilterLength, end: maxFilterLength },
      {
        code: 'FILTER_TOO_LONG',
        message: `the filter has ${text.length} characters; ${maxFilterLength} are allowed`,
      },
    );
  }
  const tokens: Token[] = [];
  let at = 0;
  while (at < text.length) {
    const char = text[at]!;
    if (space.test(char)) {
      at++;
      continue;
    }
    const token = lexOne(text, at, char);
    tokens.push(token);
    at = token.span.end;
  }
  tokens.push({ kind: 'end', value: '', span: { start: text.length, end: text.length } });
  return tokens;
}

function lexOne(text: string, at: number, char: string): Token {
  if (char === "'" || char === '"') {
    const { value, end } = readQuoted(text, at, char);
    const span = { start: at, end };
    if (value.includes('\0')) {
      throw refuseAt(text, span, { code: 'FILTER_SYNTAX', message: 'A text cannot contain U+0000.' });
    }
    if (!value.isWellFormed()) {
      throw refuseAt(text, span, { code: 'FILTER_SYNTAX', message: 'A text contains half of a Unicode character.' });
    }
    return { kind: char === "'" ? 'text' : 'quotedName', value, span };
  }
  number.lastIndex = at;
  const digits = number.exec(text)?.[0];
  if (digits !== undefined) return { kind: 'number', value: digits, span: { start: at, end: at + digits.length } };
  const codePoint = String.fromCodePoint(text.codePointAt(at)!);
  if (nameStart.test(codePoint)) {
    name.lastIndex = at;
    const value = name.exec(text)![0];
    const isKeyword = keywords.has(value.toUpperCase());
    return {
      kind: isKeyword ? 'keyword' : 'name',
      value: isKeyword ? value.toUpperCase() : value,
      span: { start: at, end: at + value.length },
    };
  }
  const symbol = symbols.find((one) => text.startsWith(one, at));
  if (symbol !== undefined) return { kind: 'symbol', value: symbol, span: { start: at, end: at + symbol.length } };
  throw refuseAt(
    text,
    { start: at, end: at + codePoint.length },
    {
      code: 'FILTER_SYNTAX',
      message: `“${codePoint}” is not allowed in a filter.`,
      hint: strayHint(text, at),
    },
  );
}
