import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { create, type Font } from 'fontkit';
import { parseFonts } from '../../src/render/index.ts';
import { casesOf } from '../cases.ts';

const require = createRequire(import.meta.url);
const read = (file: string) => readFileSync(require.resolve(`@expo-google-fonts/source-sans-3/${file}`));
const files = {
  regular: read('400Regular/SourceSans3_400Regular.ttf'),
  semibold: read('600SemiBold/SourceSans3_600SemiBold.ttf'),
};

describe('the fonts of print', () => {
  for (const weight of ['regular', 'semibold'] as const)
    it(`set numbers, put together from their characters, as the font sets the whole: ${weight}`, () => {
      const ours = parseFonts(files)[weight];
      const whole = create(files[weight]) as Font;
      const what = (font: Font, text: string, features?: string[]) => {
        const run = font.layout(text, features);
        return {
          glyphs: run.glyphs.map((one) => one.id),
          steps: run.positions.map((one) => [one.xAdvance, one.xOffset, one.yOffset]),
          width: run.advanceWidth,
        };
      };
      const some = fc.string({ unit: fc.constantFrom(...'0123456789.,:%+−- '), minLength: 1, maxLength: 14 });
      fc.assert(
        fc.property(
          fc.oneof(
            some,
            fc.double({ noNaN: true }).map((one) => one.toLocaleString('en')),
          ),
          (text) => {
            assert.deepEqual(what(ours, text), what(whole, text, ['tnum']));
          },
        ),
        casesOf(400, 17),
      );
    });

  it('give each document positions of its own: one that scales them changes no other', () => {
    const font = parseFonts(files).regular;
    const first = font.layout('1,204');
    const steps = first.positions.map((one) => one.xAdvance);
    for (const one of first.positions) one.xAdvance *= 2;
    assert.deepEqual(
      font.layout('1,204').positions.map((one) => one.xAdvance),
      steps,
    );
    assert.equal(first.advanceWidth, 2 * steps.reduce((sum, one) => sum + one, 0));
  });
});
