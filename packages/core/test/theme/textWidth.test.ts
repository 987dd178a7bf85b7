import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { create, type Font } from 'fontkit';
import { shorten, textWidth } from '../../src/theme/index.ts';
import { casesOf } from '../cases.ts';

const require = createRequire(import.meta.url);
const font = create(
  readFileSync(require.resolve('@expo-google-fonts/source-sans-3/400Regular/SourceSans3_400Regular.ttf')),
) as Font;
const measured = (text: string) => font.layout(text).advanceWidth / 1000;

describe('the width of a text', () => {
  it('is what the font takes for each letter of Latin, within a twentieth, and for a name at least about that', () => {
    const letters = Array.from({ length: 0x24f - 0x20 }, (_, i) => String.fromCharCode(0x20 + i)).filter(
      (one) => font.hasGlyphForCodePoint(one.codePointAt(0)!) && /[A-Za-z]\p{Mark}/u.test(one.normalize('NFD')),
    );
    assert.ok(letters.length > 100);
    const ascii = Array.from({ length: 95 }, (_, i) => String.fromCharCode(0x20 + i));
    for (const one of ascii) assert.ok(Math.abs(textWidth(one, 1) - measured(one)) < 0.001, one);
    for (const one of letters) {
      const [found, wanted] = [textWidth(one, 1), measured(one)];
      assert.ok(Math.abs(found - wanted) <= 0.05, `${one}: ${found} ${wanted}`);
    }
    for (const name of ['Zoë Børansö', 'Κέλνταν', 'Причал', 'Łódź – Önne'])
      assert.ok(textWidth(name, 1) > measured(name) * 0.95 && textWidth(name, 1) < measured(name) * 1.25, name);
  });

  it('is never longer than the room once a text is shortened, and a text that fits is not cut', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 40 }), fc.integer({ min: 12, max: 400 }), (text, room) => {
        const shown = shorten(text, room, 12);
        if (shown === text) assert.ok(textWidth(text, 12) <= room);
        else assert.ok(textWidth(shown, 12) <= room + 0.001 && textWidth(text, 12) > room);
      }),
      casesOf(300, 36),
    );
  });
});
