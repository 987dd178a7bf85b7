import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { arrange, freePlace, overlaps, validateBoard, type BoardDefinition } from '../../src/board/index.ts';
import { contrast, dark, light, themeFrom } from '../../src/theme/index.ts';
import { aReport } from '../builders.ts';
import { refused } from '../refused.ts';

const figure = {
  name: 'one',
  report: 'punctuality',
  page: 'overview',
  figure: 'all',
  at: { column: 1, row: 1, width: 3, height: 2 },
};
const aBoard = (change: object = {}): BoardDefinition => ({
  format: 'underbell-board/1',
  name: 'harbour',
  title: 'Harbour',
  figures: [figure],
  ...change,
});
const validate = (value: unknown) =>
  validateBoard(value, (name) => (name === 'punctuality' ? aReport() : undefined), ['punctuality']);
const pointerOf = (value: unknown) => refused('BOARD_INVALID', () => validate(value)).details.pointer;

describe('validateBoard', () => {
  it('takes a sound board', () => assert.equal(validate(aBoard()).name, 'harbour'));

  for (const [what, change, place] of [
    ['an unknown option', { colour: 'red' }, '/colour'],
    ['an unknown report', { figures: [{ ...figure, report: 'punctualty' }] }, '/figures/0/report'],
    ['an unknown page', { figures: [{ ...figure, page: 'x' }] }, '/figures/0/page'],
    ['an unknown figure', { figures: [{ ...figure, figure: 'x' }] }, '/figures/0/figure'],
    ['an unknown parameter', { figures: [{ ...figure, parameters: { month: '1' } }] }, '/figures/0/parameters'],
    ['a filter on another dataset', { figures: [{ ...figure, where: { works: 'TRUE' } }] }, '/figures/0/where'],
    ['figures that overlap', { figures: [figure, { ...figure, name: 'two' }] }, '/figures/1/at'],
    [
      'a name that stands twice',
      { figures: [figure, { ...figure, at: { column: 5, row: 1, width: 2, height: 2 } }] },
      '/figures/1/name',
    ],
    [
      'text that cannot be read',
      { theme: { background: '#FFFFFF', figure: '#FFFFFF', text: '#BBBBBB' } },
      '/theme/text',
    ],
  ] as const) {
    it(`points at ${what}`, () => assert.equal(pointerOf(aBoard(change)), place));
  }

  it('names the nearest report', () => {
    const { details } = refused('BOARD_INVALID', () =>
      validate(aBoard({ figures: [{ ...figure, report: 'punctualty' }] })),
    );
    assert.deepEqual(details.nearest, ['punctuality']);
  });
});

const place = fc.record({
  column: fc.integer({ min: 1, max: 12 }),
  row: fc.integer({ min: 1, max: 20 }),
  width: fc.integer({ min: 1, max: 12 }),
  height: fc.integer({ min: 1, max: 6 }),
});

describe('arrange', () => {
  it('never lets one figure lie on another, and keeps the moved one where it was put', () => {
    fc.assert(
      fc.property(fc.array(place, { minLength: 1, maxLength: 9 }), place, (places, to) => {
        // A board starts out sound.
        let figures: { name: string; at: typeof to }[] = [];
        places.forEach(
          (at, i) =>
            (figures = [...figures, { name: `f${i}`, at: freePlace(figures, Math.min(at.width, 12), at.height) }]),
        );
        const moved = arrange(figures, 'f0', to);
        assert.equal(moved.length, figures.length);
        moved.forEach((one, i) => {
          assert.ok(one.at.column + one.at.width <= 13);
          moved.slice(i + 1).forEach((other) => assert.ok(!overlaps(one.at, other.at)));
        });
        assert.equal(moved[0]!.at.row, to.row);
      }),
      { seed: 93, numRuns: 300 },
    );
  });
});

describe('themeFrom', () => {
  it('keeps every word readable on the colours that were chosen', () => {
    for (const [background, raised, text] of [
      ['#F3EFE4', '#FFFDF7', '#1B2A30'],
      ['#0C1B21', '#132A33', '#EAF1F1'],
      ['#004488', '#003366', '#FFFFFF'],
      ['#FFEE88', '#FFF6C0', '#332200'],
    ] as const) {
      const tokens = themeFrom({ background, figure: raised, text });
      for (const word of ['ink', 'quiet', 'sea', 'brass', 'signal', 'good'] as const)
        assert.ok(contrast(tokens[word], raised) >= 4.5, `${word} on ${raised}`);
      assert.deepEqual(tokens.series, (contrast(raised, '#FFFFFF') < 4 ? light : dark).series);
    }
  });
});
