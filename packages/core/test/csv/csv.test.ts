import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { readFields } from '../../src/burst/index.ts';
import { csvField, csvLine } from '../../src/csv/index.ts';

describe('csvField', () => {
  it('quotes only what needs it', () => {
    assert.deepEqual(['a', 'a b', 'a,b', 'a"b', 'a\nb', 'a\rb', '', null].map(csvField), [
      'a',
      'a b',
      '"a,b"',
      '"a""b"',
      '"a\nb"',
      '"a\rb"',
      '""',
      '',
    ]);
  });

  it('is read back as it was, empty and missing apart', () => {
    const cell = fc.option(fc.string({ unit: 'grapheme', maxLength: 12 }), { nil: null });
    fc.assert(
      fc.property(fc.array(cell, { minLength: 1, maxLength: 8 }), (cells) => {
        assert.deepEqual(readFields(csvLine(cells).slice(0, -2)), cells);
      }),
      { seed: 4180, numRuns: 1_000 },
    );
  });
});
