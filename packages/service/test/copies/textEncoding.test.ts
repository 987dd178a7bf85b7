import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import iconv from 'iconv-lite';
import { textEncodings } from '@underbell/core/burst';
import { casesOf } from '../../../core/test/cases.ts';
import { refused } from '../../../core/test/refused.ts';
import { textEncoder } from '../../src/copies/textEncoding.ts';

const bytes = (encoding: (typeof textEncodings)[number], text: string) => [...textEncoder(encoding)(text)];

describe('text in the encodings that files are written in', () => {
  it('is what the standard says', () => {
    assert.deepEqual(bytes('windows-1252', 'Zoë 5 €'), [0x5a, 0x6f, 0xeb, 0x20, 0x35, 0x20, 0x80]);
    assert.deepEqual(bytes('iso-8859-15', '€'), [0xa4]);
    assert.deepEqual(bytes('windows-1250', 'Łódź'), [0xa3, 0xf3, 0x64, 0x9f]);
    assert.deepEqual(bytes('windows-1251', 'Причал'), [0xcf, 0xf0, 0xe8, 0xf7, 0xe0, 0xeb]);
    assert.deepEqual(bytes('windows-1253', 'Άλφα'), [0xa2, 0xeb, 0xf6, 0xe1]);
    assert.deepEqual(bytes('utf-16', '\ufeffA€'), [0xff, 0xfe, 0x41, 0, 0xac, 0x20]);
    assert.deepEqual(bytes('utf-8', 'Zoë'), [0x5a, 0x6f, 0xc3, 0xab]);
  });

  it('is refused where a character is missing, with the character and nothing else of the row', () => {
    const { message, details } = refused('VALUE_INVALID', () => textEncoder('windows-1252')('Q001,Zoë\nQ002,Łódź\n'));
    assert.equal(message, '“Ł” (U+0141) cannot be written in windows-1252.');
    assert.deepEqual([details.word, details.hint], ['Ł', 'Use utf-8.']);
    // Two halves of one character are one character.
    const sail = refused('VALUE_INVALID', () => textEncoder('iso-8859-15')('⛵ 🚢'.slice(2)));
    assert.equal(sail.details.word, '🚢');
  });

  it('is read back as it was, or refused: nothing is replaced', (t) => {
    const { numRuns, seed } = casesOf(300, 41);
    let written = 0;
    const text = fc.oneof(
      fc.string(),
      fc.string({ unit: 'binary' }),
      fc.constantFrom('Łódź', 'Zoë €', 'Σύρος', 'Ялта'),
    );
    fc.assert(
      fc.property(fc.constantFrom(...textEncodings), text, (encoding, given) => {
        let made: Uint8Array;
        try {
          made = textEncoder(encoding)(given);
        } catch {
          return refused('VALUE_INVALID', () => textEncoder(encoding)(given)) && undefined;
        }
        written++;
        const whole = Buffer.from(given, encoding === 'utf-8' ? 'utf8' : 'utf16le');
        if (encoding === 'utf-8' || encoding === 'utf-16') assert.deepEqual(Buffer.from(made), whole);
        else assert.equal(iconv.decode(Buffer.from(made), encoding), given);
      }),
      { numRuns, seed },
    );
    t.diagnostic(`${written} of ${numRuns} texts written; seed ${seed}`);
    assert.ok(written > numRuns / 3);
  });
});
