import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { readFields } from '../../src/burst/index.ts';
import { csvField, csvLine, CsvLines, InstantFields } from '../../src/csv/index.ts';

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

describe('CsvLines', () => {
  it('ends every line and leaves what stands in quotes, in pieces of any length', (t) => {
    const cell = fc.oneof(
      fc.constantFrom('\n', '\r\n', 'a"b', '"', '""\n', 'ß🦆', '', null),
      fc.string({ maxLength: 6 }),
    );
    const texts = fc.array(fc.array(cell, { minLength: 1, maxLength: 4 }), { maxLength: 12 });
    let seen = 0;
    fc.assert(
      fc.property(texts, fc.array(fc.integer({ min: 1, max: 30 }), { maxLength: 60 }), (all, lengths) => {
        const wanted = Buffer.from(all.map(csvLine).join(''));
        const written = Buffer.from(all.map((cells) => `${cells.map(csvField).join(',')}\n`).join(''));
        const lines = new CsvLines([]);
        const pieces: Uint8Array[] = [];
        let at = 0;
        for (const length of [...lengths, written.length]) {
          pieces.push(lines.push(written.subarray(at, at + length)));
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

describe('InstantFields', () => {
  const forms: readonly (readonly [string, string])[] = [
    ['2026-07-01 08:00:00+02', '2026-07-01T08:00:00+02:00'],
    ['2026-12-01 06:00:00.25+01', '2026-12-01T06:00:00.25+01:00'],
    ['2026-12-01 22:46:19.660304+05:30', '2026-12-01T22:46:19.660304+05:30'],
    ['2026-12-01 06:00:00-03', '2026-12-01T06:00:00-03:00'],
    ['2026-12-01 06:00:00-03:30', '2026-12-01T06:00:00-03:30'],
    ['1880-01-01 00:53:28+00:53:28', '1880-01-01T00:53:28+00:53:28'],
    ['0044-03-15 00:00:00+00 BC', '0044-03-15T00:00:00+00:00 BC'],
    ['12026-01-01 01:00:00.12+01', '12026-01-01T01:00:00.12+01:00'],
    ['infinity', 'infinity'],
    ['-infinity', '-infinity'],
    ['', ''],
  ];

  it('writes instants as RFC 3339 has them, and nothing else, wherever rows and pieces break off', (t) => {
    const text = fc.oneof(
      fc.constantFrom('2026-07-01 08:00:00+02', 'a,b', '"', ',"\n', '1 +02', 'ß 🦆', '', null, 'x'.repeat(200)),
      fc.string({ unit: 'grapheme', maxLength: 8 }),
    );
    const instant = fc.constantFrom(...forms).map(([from, to]) => ({ from, to }));
    const other = text.map((one) => ({ from: csvField(one), to: csvField(one) }));
    const layout = fc.array(fc.boolean(), { minLength: 1, maxLength: 5 });
    const table = layout.chain((isInstant) =>
      fc.record({
        isInstant: fc.constant(isInstant),
        rows: fc.array(fc.tuple(...isInstant.map((is) => (is ? instant : other))), { maxLength: 8 }),
      }),
    );
    let seen = 0;
    fc.assert(
      fc.property(
        table,
        fc.array(fc.integer({ min: 1, max: 40 }), { maxLength: 40 }),
        ({ isInstant, rows }, lengths) => {
          const fields = isInstant.flatMap((is, i) => (is ? [i] : []));
          const line = (part: 'from' | 'to', end: string) => (row: (typeof rows)[number]) =>
            row.map((cell) => cell[part]).join(',') + end;
          const written = Buffer.from(rows.map(line('from', '\n')).join(''));
          const lines = new CsvLines(fields);
          const pieces: Uint8Array[] = [];
          let at = 0;
          for (const length of [...lengths, written.length]) {
            pieces.push(lines.push(written.subarray(at, at + length)));
            at += length;
          }
          assert.equal(Buffer.concat(pieces).toString(), rows.map(line('to', '\r\n')).join(''));

          const instants = new InstantFields(fields);
          for (const row of rows) {
            const bytes = Buffer.from(`before,${line('from', '\n')(row)}after`);
            const [start, end] = [7, bytes.length - 5];
            const into = Buffer.alloc(instants.room(end - start) + 1);
            assert.equal(into.toString('utf8', 1, instants.write(bytes, start, end, into, 1)), line('to', '\n')(row));
          }
          seen += rows.length * fields.length;
        },
      ),
      { seed: 3339, numRuns: 2_000 },
    );
    assert.ok(seen > 5_000, `${seen} instants`);
    t.diagnostic(`2000 tables with ${seen} instants, seed 3339`);
  });
});
