import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  ColumnExam,
  columnChanges,
  describeColumn,
  fitsType,
  guessType,
  isCanonical,
  misfitsOf,
  openQuestions,
  canonicalCell,
  resolveDialect,
  type CellDialect,
  type ColumnType,
} from '../../src/dataset/index.ts';

function examined(...cells: string[]) {
  const exam = new ColumnExam('Amount');
  cells.forEach((cell) => exam.add(cell));
  return { name: 'amount', ...exam.result };
}
/** The type of a column by itself, as far as its cells tell how they are written. */
function guess(...cells: string[]): ColumnType {
  const column = examined(...cells);
  return guessType(column, resolveDialect([column], {}));
}

describe('ColumnExam', () => {
  it('says which type fits, and for each other the cells that do not', () => {
    const { type, missing, samples, misfits } = describeColumn(examined('12', '7.5', '', 'n/a', '12'), {
      decimal: 'dot',
    });
    assert.deepEqual([type, missing, samples], ['text', 1, ['12', '7.5', 'n/a']]);
    assert.deepEqual(
      misfits.find((one) => one.type === 'number'),
      { type: 'number', count: 1, first: [{ row: 4, value: 'n/a' }] },
    );
    assert.equal(misfits.find((one) => one.type === 'integer')?.count, 2);
  });

  it('finds the narrowest type that fits every cell', () => {
    assert.equal(guess('1', '', '22'), 'integer');
    assert.equal(guess('1', '2.5'), 'number');
    assert.equal(guess('1', '2,5'), 'number');
    assert.equal(guess('1.250.000', '2,5'), 'number');
    assert.equal(guess('2026-10-01', '2024-02-29'), 'date');
    assert.equal(guess('31.10.2026', '01.02.2024'), 'date');
    assert.equal(guess('2026-10-01T06:00:00Z', '2026-10-01 06:00:00+02'), 'instant');
    assert.equal(guess('true', 'FALSE'), 'boolean');
    assert.equal(guess('1', 'x'), 'text');
    assert.equal(guess('', ''), 'text');
  });

  it('reads truths in other words where both are there, and keeps countries text', () => {
    assert.equal(guess('ja', 'Nein', 'ja'), 'boolean');
    assert.equal(guess('yes', '', 'NO'), 'boolean');
    assert.equal(guess('NO', 'NO'), 'text');
    assert.equal(guess('true', 'true'), 'boolean');
    assert.equal(guess('j', 'n'), 'boolean');
    const column = examined('NO', 'no');
    assert.equal(misfitsOf(column, 'boolean', {}), undefined);
    assert.equal(isCanonical(column, 'boolean', {}), false);
    assert.equal(isCanonical(examined('true', 'FALSE'), 'boolean', {}), true);
    assert.equal(canonicalCell(' Ja ', 'boolean', {}), 'true');
    assert.equal(canonicalCell('vielleicht', 'boolean', {}), undefined);
  });

  it('says which type most cells of a text are, and which are not', () => {
    const days = Array.from({ length: 30 }, (_, i) => `2026-10-${String(i + 1).padStart(2, '0')}`);
    const { type, near } = describeColumn(examined(...days, 'closed'), {});
    assert.equal(type, 'text');
    assert.deepEqual(near, { type: 'date', count: 1, fitting: 30, first: [{ row: 31, value: 'closed' }] });
    assert.equal(describeColumn(examined('1', '2', '3', '4', 'x'), {}).near?.type, 'integer');
    assert.equal(describeColumn(examined('1', '2', '3', '4.5', 'x'), {}).near?.type, 'number');
    for (const cells of [days, ['007', '012', '013', '014', 'x'], ['a', 'b', '1'], ['']])
      assert.equal(describeColumn(examined(...cells), {}).near, undefined, cells.join());
  });

  it('asks for no order of days that are the same in both, and settles none', () => {
    const ask = (...written: string[]) => {
      const column = examined(...written);
      const dialect = resolveDialect([column], {});
      const questions = openQuestions([column], new Map([['amount', guessType(column, dialect)]]), dialect);
      return { dialect, type: guessType(column, dialect), cell: questions[0]?.cell.value };
    };
    assert.deepEqual(ask('01.01.2026', '02.02.2026'), { dialect: {}, type: 'date', cell: undefined });
    assert.deepEqual(ask('01.01.2026', '05.06.2026'), { dialect: {}, type: 'date', cell: '05.06.2026' });
    assert.deepEqual(ask('01.01.2026', '2026-10-03'), { dialect: {}, type: 'date', cell: undefined });
    assert.deepEqual(ask('01.01.2026', '31.01.2026'), {
      dialect: { dates: 'day-month-year' },
      type: 'date',
      cell: undefined,
    });
    assert.equal(canonicalCell('1.1.2026', 'date', {}), '2026-01-01');
    assert.equal(canonicalCell('01.01.2026', 'date', { dates: 'year-month-day' }), undefined);
  });

  it('keeps identifiers with leading zeros texts', () => {
    assert.equal(guess('007'), 'text');
    assert.equal(guess('007', '012'), 'text');
    assert.equal(guess('0', '0.5'), 'number');
  });

  it('counts for every type and dialect just the cells that cannot be read so', () => {
    const pieces = [
      '1',
      '12',
      '234',
      '.',
      ',',
      '-',
      '/',
      ' ',
      '2026',
      '09',
      '03',
      "'",
      'T06:00',
      'true',
      'ja',
      'no',
      'e5',
      'x',
      '+',
    ];
    const cell = fc.oneof(
      fc.array(fc.constantFrom(...pieces), { maxLength: 6 }).map((all) => all.join('')),
      fc.double().map(String),
      fc.date({ noInvalidDate: true }).map((date) => date.toISOString()),
    );
    const types = ['boolean', 'integer', 'number', 'date', 'instant'] as const;
    const dialect = fc.record({
      decimal: fc.constantFrom('dot', 'comma'),
      dates: fc.constantFrom('day-month-year', 'month-day-year', 'year-month-day'),
    }) as fc.Arbitrary<CellDialect>;
    fc.assert(
      fc.property(fc.array(cell, { minLength: 1, maxLength: 12 }), dialect, (cells, how) => {
        const column = examined(...cells);
        for (const type of types) {
          const wrong = cells.filter((one) => one !== '' && canonicalCell(one, type, how) === undefined);
          assert.equal(misfitsOf(column, type, how)?.count ?? 0, wrong.length, `${type} ${JSON.stringify(cells)}`);
          if (wrong.length > 0 || !isCanonical(column, type, how)) continue;
          for (const one of cells.filter((text) => text !== ''))
            assert.equal(
              canonicalCell(one, type, how)?.toLowerCase(),
              fitsType(one.trim(), type) ? one.trim().toLowerCase() : '',
              JSON.stringify(one),
            );
        }
      }),
      { numRuns: 2000, seed: 41 },
    );
  });
});

describe('canonicalCell', () => {
  it('reads a date by the order that is said, and by none where it does not fit', () => {
    assert.equal(canonicalCell('03/09/2026', 'date', { dates: 'day-month-year' }), '2026-09-03');
    assert.equal(canonicalCell('03/09/2026', 'date', { dates: 'month-day-year' }), '2026-03-09');
    assert.equal(canonicalCell('03/09/2026', 'date', {}), undefined);
    assert.equal(canonicalCell('13.13.2026', 'date', {}), undefined);
    assert.equal(canonicalCell('31/09/2026', 'date', { dates: 'day-month-year' }), undefined);
    assert.equal(canonicalCell('2026/9/3', 'date', { dates: 'day-month-year' }), '2026-09-03');
    assert.equal(canonicalCell('3.9.26', 'date', { dates: 'day-month-year' }), undefined);
  });

  it('reads numbers by their decimal sign, digits grouped by one sign and no other', () => {
    assert.equal(canonicalCell('1.234,50', 'number', { decimal: 'comma' }), '1234.50');
    assert.equal(canonicalCell('1,234.50', 'number', { decimal: 'dot' }), '1234.50');
    assert.equal(canonicalCell('1 234,50', 'number', { decimal: 'comma' }), '1234.50');
    assert.equal(canonicalCell('1.234', 'number', { decimal: 'comma' }), '1234');
    assert.equal(canonicalCell('1.234', 'number', { decimal: 'dot' }), '1.234');
    assert.equal(canonicalCell("1'234.567", 'number', { decimal: 'comma' }), undefined);
    assert.equal(canonicalCell('1,23,456', 'number', { decimal: 'dot' }), undefined);
    assert.equal(canonicalCell('12 34', 'integer', { decimal: 'dot' }), undefined);
  });

  it('gives back every number and day that it was written from', () => {
    const number = fc.tuple(fc.integer({ min: -999_999_999, max: 999_999_999 }), fc.integer({ min: 0, max: 99 }));
    fc.assert(
      fc.property(number, ([whole, part]) => {
        const plain = `${whole}.${String(part).padStart(2, '0')}`;
        for (const [decimal, group, sign] of [
          ['comma', '.', ','],
          ['dot', ',', '.'],
          ['comma', '\u00a0', ','],
        ] as const) {
          const text = `${String(whole).replace(/\B(?=(\d{3})+$)/g, group)}${sign}${String(part).padStart(2, '0')}`;
          assert.equal(canonicalCell(text, 'number', { decimal }), plain, text);
        }
      }),
      { numRuns: 500, seed: 7 },
    );
  });
});

describe('resolveDialect', () => {
  it('says nothing of what can be read in two ways, and asks instead', () => {
    const day = examined('03/09/2026', '04/10/2026');
    const dialect = resolveDialect([day], {});
    assert.deepEqual(dialect, {});
    const [question] = openQuestions([day], new Map([['amount', 'date']]), dialect);
    assert.deepEqual(question, {
      about: 'dates',
      columns: ['amount'],
      cell: { row: 1, value: '03/09/2026' },
      readings: [
        { say: 'day-month-year', as: '2026-09-03' },
        { say: 'month-day-year', as: '2026-03-09' },
      ],
    });
    // As text nothing hangs on it.
    assert.deepEqual(openQuestions([day], new Map([['amount', 'text']]), dialect), []);
    const sum = examined('1,234', '5,678');
    assert.equal(openQuestions([sum], new Map([['amount', 'number']]), resolveDialect([sum], {})).length, 1);
  });

  it('lets one column tell for all, and asks where two say different things', () => {
    assert.equal(
      resolveDialect([examined('03/09/2026'), examined('30/09/2026', '31/10/2026')], {}).dates,
      'day-month-year',
    );
    assert.equal(resolveDialect([examined('03/19/2026'), examined('31/10/2026')], {}).dates, undefined);
    assert.equal(resolveDialect([examined('1,234'), examined('12.5')], {}).decimal, 'dot');
    assert.equal(resolveDialect([examined('1,234'), examined('12.5')], { decimal: 'comma' }).decimal, 'comma');
  });

  it('does not listen to texts that happen to look like numbers', () => {
    assert.equal(resolveDialect([examined('v1', '2.5', 'x', 'y', 'z'), examined('12,5')], {}).decimal, 'comma');
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
