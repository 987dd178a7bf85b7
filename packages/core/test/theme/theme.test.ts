import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { cssVariables, dark, light, type ThemeTokens } from '../../src/theme/index.ts';

/** Relative luminance of `#RRGGBB`. @see WCAG 2.2, "relative luminance" */
function luminance(colour: string): number {
  const [r, g, b] = [1, 3, 5].map((at) => {
    const share = Number.parseInt(colour.slice(at, at + 2), 16) / 255;
    return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

function contrast(a: string, b: string): number {
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number];
  return (high + 0.05) / (low + 0.05);
}

for (const [name, tokens] of [
  ['light', light],
  ['dark', dark],
] as [string, ThemeTokens][]) {
  describe(`the ${name} theme`, () => {
    for (const word of ['ink', 'quiet', 'sea', 'brass', 'signal', 'good'] as const) {
      it(`shows ${word} at 4.5 to 1 on both backgrounds`, () => {
        assert.ok(contrast(tokens[word], tokens.paper) >= 4.5, `${contrast(tokens[word], tokens.paper)}`);
        assert.ok(contrast(tokens[word], tokens.raised) >= 4.5, `${contrast(tokens[word], tokens.raised)}`);
      });
    }

    it('shows the first two data colours at 3 to 1', () => {
      for (const colour of tokens.series.slice(0, 2)) assert.ok(contrast(colour, tokens.raised) >= 3, colour);
    });

    it('keeps yellow for last', () => {
      assert.equal(tokens.series.at(-1), '#F0E442');
      assert.equal(new Set(tokens.series).size, 7);
    });
  });
}

describe('cssVariables', () => {
  it('names every colour once and no list', () => {
    const text = cssVariables(light);
    assert.match(text, /--sea: #1D5468;/);
    assert.ok(!text.includes('series'));
  });
});
