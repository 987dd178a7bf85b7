import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { readFields } from '../../src/burst/index.ts';
import { csvField, csvLine, CsvLineEnds } from '../../src/csv/index.ts';

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

describe('CsvLineEnds', () => {
  it('ends every line and leaves what stands in quotes, in pieces of any length', (t) => {
    const cell = fc.oneof(
      fc.constantFrom('\n', '\r\n', 'a"b', '"', '""\n', 'ß🦆', '', null),
      fc.string({ maxLength: 6 }),
    );
    const lines = fc.array(fc.array(cell, { minLength: 1, maxLength: 4 }), { maxLength: 12 });
    let seen = 0;
    fc.assert(
      fc.property(lines, fc.array(fc.integer({ min: 1, max: 30 }), { maxLength: 60 }), (all, lengths) => {
        const wanted = Buffer.from(all.map(csvLine).join(''));
        const written = Buffer.from(all.map((cells) => `${cells.map(csvField).join(',')}\n`).join(''));
        const ends = new CsvLineEnds();
        const pieces: Uint8Array[] = [];
        let at = 0;
        for (const length of [...lengths, written.length]) {
          pieces.push(ends.push(written.subarray(at, at + length)));
          at += length;
        }
        assert.deepEqual(Buffer.concat(pieces), wanted);
        seen += all.length;
      }),
      { seed: 4180, numRuns: 1_000 },
    );
    t.diagnostic(`1000 texts with ${seen} lines, seed 4180`);
  });
});
