import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  calculate,
  compareNumbers,
  formatValue,
  parseValue,
  readCell,
  readInstant,
  readNumber,
} from '../../src/dataset/index.ts';

describe('readNumber', () => {
  it('takes a double only where it says the same', () => {
    for (const [text, value] of [
      ['1.50', 1.5],
      ['+7', 7],
      ['-0', 0],
      ['1e3', 1000],
      ['9007199254740991', 9007199254740991],
      ['9007199254740993', '9007199254740993'],
      ['0.10000000000000000', 0.1],
      ['0.12345678901234567', '0.12345678901234567'],
      ['1e400', '1' + '0'.repeat(400)],
    ] as const)
      assert.equal(readNumber(text), value, text);
    for (const text of ['', '.', 'x', '1e', '1e99999', '0x10', '1 2', 'NaN', 'Infinity'])
      assert.equal(readNumber(text), undefined, text);
  });

  it('gives equal numbers one form, however they are written', () => {
    fc.assert(
      fc.property(
        fc.bigInt({ min: -(10n ** 24n), max: 10n ** 24n }),
        fc.nat({ max: 20 }),
        fc.nat({ max: 5 }),
        (digits, scale, zeros) => {
          const sign = digits < 0n ? '-' : '';
          const bare = String(digits < 0n ? -digits : digits).padStart(scale + 1, '0');
          const text = `${sign}${bare.slice(0, bare.length - scale)}${scale > 0 ? `.${bare.slice(-scale)}` : ''}`;
          const longer = scale > 0 ? `${text}${'0'.repeat(zeros)}` : text;
          assert.equal(readNumber(longer), readNumber(text));
          assert.equal(compareNumbers(readNumber(text)!, readNumber(longer)!), 0);
        },
      ),
      { numRuns: 2_000, seed: 31 },
    );
  });
});

describe('calculate', () => {
  it('is exact', () => {
    assert.equal(calculate('+', 0.1, 0.2), 0.3);
    assert.equal(calculate('+', 9007199254740991, 2), '9007199254740993');
    assert.equal(calculate('*', '123456789012345678', 10), '1234567890123456780');
    assert.equal(calculate('%', -7, 2), -1);
    assert.equal(calculate('div', -7, 2), -3);
    assert.equal(calculate('div', 7.5, 2), 3);
    assert.equal(calculate('%', 7.5, 2), 1.5);
    assert.equal(calculate('div', 1, 0), null);
    assert.equal(calculate('%', 5, Infinity), 5);
    assert.ok(Number.isNaN(calculate('-', Infinity, Infinity) as number));
  });

  it('orders NaN above everything, as PostgreSQL does', () => {
    assert.deepEqual([NaN, '9007199254740993', -Infinity, 1, Infinity, '-9007199254740993'].toSorted(compareNumbers), [
      -Infinity,
      '-9007199254740993',
      1,
      '9007199254740993',
      Infinity,
      NaN,
    ]);
  });
});

describe('readCell', () => {
  it('reads what PostgreSQL writes and nobody types', () => {
    const cell = (text: string | null, type: 'number' | 'date' | 'instant' | 'boolean') =>
      readCell(text, { name: 'c', type });
    assert.equal(cell('Infinity', 'number'), Infinity);
    assert.ok(Number.isNaN(cell('NaN', 'number') as number));
    assert.equal(cell('-infinity', 'date'), '-infinity');
    assert.equal(cell('infinity', 'instant'), Infinity);
    assert.equal(cell('t', 'boolean'), true);
    assert.equal(cell(null, 'number'), null);
    assert.throws(() => cell('0044-03-15 BC', 'date'), /not a date/);
    assert.throws(() => parseValue('NaN', 'number'), /not a number/);
  });

  it('keeps microseconds', () => {
    const instant = readInstant('2026-10-01 02:00:00.250001+00')!;
    assert.equal(formatValue(instant, 'instant'), '2026-10-01T02:00:00.250001Z');
    assert.notEqual(instant, readInstant('2026-10-01T02:00:00.250Z'));
    assert.equal(formatValue(-Infinity, 'instant'), '-infinity');
  });
});
