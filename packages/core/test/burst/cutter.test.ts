import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { createRouter, readFields, RowCutter } from '../../src/burst/index.ts';
import { csvField } from '../../src/csv/index.ts';
import { checkFilter, parseFilter } from '../../src/filter/index.ts';
import { sailings } from '../builders.ts';
import { refused } from '../refused.ts';

/** Cuts rows by their first field, whatever pieces the stream comes in. */
function cut(text: Buffer, pieces: readonly number[]): Map<string, string> {
  const names: string[] = [];
  const cuts: Buffer[][] = [];
  const cutter = new RowCutter({
    prefixFields: 1,
    route([field]) {
      if (field === null || field === undefined) return -1;
      if (!names.includes(field)) {
        names.push(field);
        cuts.push([]);
      }
      return names.indexOf(field);
    },
    take: (index, chunk, start, end) => void cuts[index]!.push(Buffer.from(chunk.subarray(start, end))),
  });
  let at = 0;
  for (const length of pieces) {
    cutter.push(text.subarray(at, at + length));
    at += length;
  }
  cutter.push(text.subarray(at));
  cutter.end();
  return new Map(names.map((name, i) => [name, Buffer.concat(cuts[i]!).toString('utf8')]));
}

describe('RowCutter', () => {
  it('cuts by the first field and drops it', () => {
    assert.deepEqual(
      [...cut(Buffer.from('a,1\nb,2\na,3\n'), [])],
      [
        ['a', '1\n3\n'],
        ['b', '2\n'],
      ],
    );
  });

  it('drops rows that go nowhere', () => {
    assert.deepEqual(
      [...cut(Buffer.from(',1\nb,2\n"",3\n'), [])],
      [
        ['b', '2\n'],
        ['', '3\n'],
      ],
    );
  });

  it('does not take a key for one that it begins with', () => {
    assert.deepEqual(
      [...cut(Buffer.from('Q0,1\nQ017,2\nQ01,3\nQ017,4\n'), [])],
      [
        ['Q0', '1\n'],
        ['Q017', '2\n4\n'],
        ['Q01', '3\n'],
      ],
    );
  });

  it('refuses a stream that ends in the middle of a row', () => {
    assert.throws(() => cut(Buffer.from('a,1\nb,2'), []), TypeError);
  });

  it('cuts any fields right, in pieces of any length', (t) => {
    const field = fc.oneof(
      fc.constantFrom('a', 'b', 'Q017', 'a,b', 'x"y', 'two\nlines', '', '"', ',', '\r\n', 'ß🦆'),
      fc.string({ maxLength: 6 }).filter((text) => !text.includes('\0')),
    );
    const rows = fc.array(fc.tuple(field, fc.array(field, { minLength: 1, maxLength: 3 })), { maxLength: 25 });
    let seen = 0;
    fc.assert(
      fc.property(rows, fc.array(fc.integer({ min: 1, max: 17 }), { maxLength: 60 }), (all, pieces) => {
        const line = (cells: string[]) => `${cells.map(csvField).join(',')}\n`;
        const expected = new Map<string, string>();
        for (const [key, cells] of all) expected.set(key, (expected.get(key) ?? '') + line(cells));
        const text = Buffer.from(all.map(([key, cells]) => line([key, ...cells])).join(''));
        assert.deepEqual(cut(text, pieces), expected);
        seen += all.length;
      }),
      { numRuns: 1_500, seed: 2026 },
    );
    t.diagnostic(`1500 streams with ${seen} rows, seed 2026`);
  });
});

describe('readFields', () => {
  it('tells missing from empty', () => {
    assert.deepEqual(readFields('a,,"","x""y,z"'), ['a', null, '', 'x"y,z']);
    assert.deepEqual(readFields(''), [null]);
    assert.deepEqual(readFields('a,'), ['a', null]);
  });
});

describe('createRouter', () => {
  const [quay] = sailings.columns;
  const cancelled = sailings.columns.at(-1)!;
  const where = (text: string) => checkFilter(parseFilter(text), { dataset: sailings, text });
  const cuts = ['Q001', 'Q002'].map((value) => ({ value, where: where(`quay_id = '${value}' AND cancelled = FALSE`) }));
  const route = createRouter({ columns: [quay!, cancelled], key: quay!, cuts });

  it('routes by value and drops values that nobody has', () => {
    assert.equal(route(['Q002', 'f']), 1);
    assert.equal(route(['Q009', 'f']), -1);
    assert.equal(route([null, 'f']), -1);
  });

  it("stops at a row that does not meet its recipient's filter", () => {
    refused('FOREIGN_ROW', () => route(['Q001', 't']));
    refused('FOREIGN_ROW', () => route(['Q001', null]));
    const wrong = createRouter({
      columns: [quay!],
      key: quay!,
      cuts: [{ value: 'Q001', where: where("quay_id = 'Q002'") }],
    });
    refused('FOREIGN_ROW', () => wrong(['Q001']));
  });
});
