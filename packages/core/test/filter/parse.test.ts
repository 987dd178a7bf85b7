import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { maxFilterLength, parseFilter } from '../../src/filter/index.ts';
import { refused } from '../refused.ts';

/** The tree without positions. */
const shape = (text: string): unknown =>
  JSON.parse(JSON.stringify(parseFilter(text), (key, value) => (key === 'span' ? undefined : value)));

describe('parseFilter', () => {
  it('reads keywords in any case and white space of any kind', () => {
    assert.deepEqual(shape("a = 'x' AND NOT b > 3"), shape("a='x'\n\tand\u00a0not   b>3"));
  });

  it('binds AND tighter than OR and NOT tighter than AND', () => {
    assert.deepEqual(shape('a = 1 OR b = 2 AND NOT c = 3'), shape('(a = 1) OR ((b = 2) AND (NOT (c = 3)))'));
  });

  it('keeps long chains flat', () => {
    const chain = shape(Array.from({ length: 500 }, (_, i) => `a = ${i}`).join(' OR ')) as { args: unknown[] };
    assert.equal(chain.args.length, 500);
  });

  it('reads a doubled quote inside a text as one', () => {
    assert.deepEqual(shape("name = 'Skipper''s'"), {
      kind: 'operation',
      op: '=',
      args: [
        { kind: 'column', name: 'name', quoted: false },
        { kind: 'text', value: "Skipper's" },
      ],
    });
  });

  for (const [what, text, word, hint] of [
    ['two equals signs', 'a == 1', '=', /one =/],
    ['an exclamation mark', 'a != 1', '!', /<>/],
    ['smart quotes', 'a = ‘x’', '‘', /straight quotes/],
    ['a piece of a web address', 'a = 1 & b = 2', '&', /web address/],
    ['text without quotes', 'a = North Head', 'Head', /quotes/],
    ['NULL compared', 'a = NULL', 'NULL', /IS NULL/],
    ['a semicolon', 'a = 1;', ';', /one expression/],
  ] as const) {
    it(`points at ${what} and says what to write`, () => {
      const { details } = refused('FILTER_SYNTAX', () => parseFilter(text));
      assert.equal(details.word, word);
      assert.match(details.hint ?? '', hint);
    });
  }

  it('tells line and column of a mistake', () => {
    const { details } = refused('FILTER_SYNTAX', () => parseFilter("a = 1\n  AND b = = 'x'"));
    assert.deepEqual(details.position, { line: 2, column: 11, offset: 16 });
  });

  it('refuses what is too long, too deep or spatial', () => {
    refused('FILTER_TOO_LONG', () => parseFilter(' '.repeat(maxFilterLength + 1)));
    refused('FILTER_TOO_DEEP', () => parseFilter(`${'('.repeat(65)}a = 1${')'.repeat(65)}`));
    refused('FILTER_TOO_DEEP', () => parseFilter(`${'NOT '.repeat(65)}a = 1`));
    refused('FILTER_NOT_SUPPORTED', () => parseFilter('S_INTERSECTS(place, POINT(1 2))'));
  });

  it('refuses an empty filter, an open quote, a chained comparison and text with U+0000', () => {
    for (const text of [
      '',
      '   ',
      "a = 'x",
      'a < b < c',
      "a = '\0'",
      'a IN ()',
      'a BETWEEN 1',
      'a NOT 3',
      'a = 1)',
      'DATE(3)',
    ]) {
      refused('FILTER_SYNTAX', () => parseFilter(text));
    }
  });
});
