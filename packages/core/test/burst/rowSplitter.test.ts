import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { createRouter, readFields, RowCutter } from '../../src/burst/index.ts';
import { csvField } from '../../src/csv/index.ts';
import { checkFilter, parseFilter } from '../../src/filter/index.ts';
import { sailings } from '../builders.ts';
import { refused } from '../refused.ts';

/** Cuts rows by their first field. */
function cut(lines: readonly string[]): Map<string, string> {
  const names: string[] = [];
  const cuts: string[] = [];
  let asked = 0;
  const rowSplitter = new RowCutter({
    prefixFields: 1,
    route([field]) {
      asked++;
      if (field === null || field === undefined) return [];
      if (!names.includes(field)) {
        names.push(field);
        cuts.push('');
      }
      return [names.indexOf(field)];
    },
    take: (index, data, start, end) => void (cuts[index] += `${data.toString('utf8', start, end)}⏎`),
  });
  // They lie side by side in memory that is used again, as they come from a server.
  const bytes = Buffer.from(lines.join(''));
  let at = 0;
  for (const line of lines) {
    const end = at + Buffer.byteLength(line);
    rowSplitter.row(bytes, at, end);
    bytes.fill(0, at, end);
    at = end;
  }
  assert.equal(rowSplitter.rows, lines.length);
  assert.ok(asked <= names.length + 1, 'each prefix is asked about once');
  return new Map(names.map((name, i) => [name, cuts[i]!]));
}

describe('RowCutter', () => {
  it('cuts by the first field and drops it', () => {
    assert.deepEqual(
      [...cut(['a,1\n', 'b,2\n', 'a,3\n'])],
      [
        ['a', '1⏎3⏎'],
        ['b', '2⏎'],
      ],
    );
  });

  it('drops rows that go nowhere', () => {
    assert.deepEqual(
      [...cut([',1\n', 'b,2\n', '"",3\n'])],
      [
        ['b', '2⏎'],
        ['', '3⏎'],
      ],
    );
  });

  it('does not take a key for one that it begins with', () => {
    assert.deepEqual(
      [...cut(['Q0,1\n', 'Q017,2\n', 'Q01,3\n', 'Q017,4\n'])],
      [
        ['Q0', '1⏎'],
        ['Q017', '2⏎4⏎'],
        ['Q01', '3⏎'],
      ],
    );
  });

  it('cuts any fields right', (t) => {
    const field = fc.oneof(
      fc.constantFrom('a', 'b', 'Q017', 'a,b', 'x"y', 'two\nlines', '', '"', ',', '\r\n', 'ß🦆'),
      fc.string({ maxLength: 6 }).filter((text) => !text.includes('\0')),
    );
    const rows = fc.array(fc.tuple(field, fc.array(field, { minLength: 1, maxLength: 3 })), { maxLength: 25 });
    let seen = 0;
    fc.assert(
      fc.property(rows, (all) => {
        const line = (cells: string[]) => cells.map(csvField).join(',');
        const expected = new Map<string, string>();
        for (const [key, cells] of all) expected.set(key, (expected.get(key) ?? '') + `${line(cells)}⏎`);
        assert.deepEqual(cut(all.map(([key, cells]) => `${line([key, ...cells])}\n`)), expected);
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
  const own = (...values: string[]) => ({
    name: values.join(', '),
    tuples: values.map((value) => [value]),
    where: where(`quay_id IN (${values.map((value) => `'${value}'`).join(', ')}) AND cancelled = FALSE`),
  });
  const cuts = [own('Q001'), own('Q002'), own('Q002', 'Q003')];
  const route = createRouter({ columns: [quay!, cancelled], keys: [quay!], cuts });

  it('routes by value and drops values that nobody has', () => {
    assert.deepEqual(route(['Q001', 'f']), [0]);
    assert.deepEqual(route(['Q009', 'f']), []);
    assert.deepEqual(route([null, 'f']), []);
  });

  it('gives a row to everybody whose copy it belongs to', () => {
    assert.deepEqual(route(['Q002', 'f']), [1, 2]);
    assert.deepEqual(route(['Q003', 'f']), [2]);
    const all = createRouter({
      columns: [cancelled],
      keys: [],
      cuts: [{ name: 'a', tuples: [[]], where: where('cancelled = FALSE') }],
    });
    assert.deepEqual(all(['f']), [0]);
    refused('FOREIGN_ROW', () => all(['t']));
  });

  it("stops at a row that does not meet its recipient's filter", () => {
    refused('FOREIGN_ROW', () => route(['Q001', 't']));
    refused('FOREIGN_ROW', () => route(['Q001', null]));
    const wrong = createRouter({
      columns: [quay!],
      keys: [quay!],
      cuts: [{ name: 'Q001', tuples: [['Q001']], where: where("quay_id = 'Q002'") }],
    });
    refused('FOREIGN_ROW', () => wrong(['Q001']));
  });
});
