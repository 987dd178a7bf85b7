import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { ColumnExam, columnChanges, fitsType, fittingTypes } from '../../src/dataset/index.ts';

describe('ColumnExam', () => {
  it('says which type fits, and for each other the cells that do not', () => {
    const exam = new ColumnExam('Amount');
    for (const cell of ['12', '7.5', '', 'n/a', '12']) exam.add(cell);
    const { type, missing, samples, misfits } = exam.result;
    assert.deepEqual([type, missing, samples], ['text', 1, ['12', '7.5', 'n/a']]);
    assert.deepEqual(
      misfits.find((one) => one.type === 'number'),
      { type: 'number', count: 1, first: [{ row: 4, value: 'n/a' }] },
    );
    assert.equal(misfits.find((one) => one.type === 'integer')?.count, 2);
  });

  it('keeps identifiers with leading zeros texts', () => {
    const exam = new ColumnExam('Code');
    exam.add('007');
    assert.equal(exam.result.type, 'text');
  });
});

describe('fittingTypes', () => {
  it('finds what each type says for itself', () => {
    const types = ['boolean', 'integer', 'number', 'date', 'instant'] as const;
    const pieces = [
      't',
      'TRUE',
      'false',
      ' ',
      '-',
      '+',
      '.',
      '0',
      '7',
      '2026-10-01',
      '1999-',
      'T06:00',
      ':00Z',
      'e5',
      'x',
      'Infinity',
    ];
    const cell = fc.oneof(
      fc.array(fc.constantFrom(...pieces), { maxLength: 4 }).map((all) => all.join('')),
      fc.string(),
      fc.double().map(String),
      fc.date({ noInvalidDate: true }).map((date) => date.toISOString()),
    );
    fc.assert(
      fc.property(cell, (text) =>
        assert.deepEqual(
          [...fittingTypes(text)],
          types.filter((type) => fitsType(text, type)),
          JSON.stringify(text),
        ),
      ),
      { numRuns: 5000, seed: 41 },
    );
  });
});

describe('columnChanges', () => {
  it('finds columns that vanished, came or changed type', () => {
    const column = (name: string, type: 'text' | 'integer' = 'text') => ({ name, type });
    assert.deepEqual(
      columnChanges([column('a'), column('b'), column('c')], [column('b', 'integer'), column('c'), column('d')]),
      [
        { change: 'vanished', column: 'a' },
        { change: 'type', column: 'b', from: 'text', to: 'integer' },
        { change: 'new', column: 'd' },
      ],
    );
  });
});
