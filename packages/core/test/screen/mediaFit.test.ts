import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { pageCaution, mediaFitWarning, screenGrid, screenParts } from '../../src/screen/index.ts';
import { casesOf } from '../cases.ts';

const across = { width: 1920, height: 1080 };
const upright = { width: 1080, height: 1920 };
const place = (row: number, height = 6) => ({ at: { column: 1, row, width: 12, height } });
const { numRuns, seed } = casesOf(300, 4_711);

describe('what fits a wall', () => {
  it('is a picture of its size and way round', () => {
    assert.equal(mediaFitWarning({ width: 1920, height: 1080 }, across), undefined);
    assert.equal(mediaFitWarning({ width: 3840, height: 2160 }, across), undefined);
    assert.match(mediaFitWarning({ width: 640, height: 360 }, across)!, /640 × 360 pixels .* enlarged/);
    assert.match(mediaFitWarning({ width: 1080, height: 1920 }, across)!, /portrait/);
    assert.match(mediaFitWarning({ width: 1920, height: 1080 }, upright)!, /landscape/);
    assert.equal(mediaFitWarning({ width: 1000, height: 1000 }, across), undefined, 'a square stands as well as lies');
    assert.equal(mediaFitWarning({ width: 1000, height: 1000 }, upright), undefined);
  });

  it('is a page that has the time for its sheets', () => {
    const four = [place(1), place(7), place(13), place(19), place(25), place(31), place(37)];
    const count = screenParts(four, screenGrid(across)).length;
    assert.equal(count, 4);
    assert.match(pageCaution(four, 12, across)!, /4 parts, 3 seconds each/);
    assert.equal(pageCaution(four, 20, across), undefined);
    assert.equal(pageCaution([place(1)], 5, across), undefined, 'one sheet has all of it');
    assert.equal(pageCaution([], 5, across), undefined);
    assert.ok(screenParts(four, screenGrid(upright)).length < count, 'upright there is room for more of them');
  });

  it(`is every figure once, within its sheet, for any page and wall: ${numRuns} of them (seed ${seed})`, () => {
    const figure = fc.record({
      at: fc
        .record({ column: fc.integer({ min: 1, max: 12 }), row: fc.integer({ min: 1, max: 60 }), size: fc.nat(11) })
        .chain(({ column, row, size }) =>
          fc.record({
            column: fc.constant(column),
            row: fc.constant(row),
            width: fc.constant(Math.min(size + 1, 13 - column)),
            height: fc.integer({ min: 1, max: 30 }),
          }),
        ),
    });
    fc.assert(
      fc.property(fc.array(figure, { maxLength: 25 }), fc.boolean(), (figures, isUpright) => {
        const grid = screenGrid(isUpright ? upright : across);
        const sheets = screenParts(figures, grid);
        const shown = sheets.flatMap((one) => one.figures.map((each) => each.figure));
        assert.equal(shown.length, figures.length);
        assert.equal(new Set(shown).size, figures.length);
        for (const { rows, figures: on } of sheets) {
          assert.ok(rows >= 1 && rows <= grid.rows);
          for (const { at } of on) {
            assert.ok(at.row >= 1 && at.row + at.height - 1 <= rows, JSON.stringify(at));
            assert.ok(at.column >= 1 && at.column + at.width - 1 <= grid.columns, JSON.stringify(at));
          }
        }
      }),
      { numRuns, seed },
    );
  });
});
