import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { fixedTo, simpleOf, textOf } from '../src/placement/record.ts';

describe('a condition beside a record', () => {
  it('of the simplest kind is read and written', () => {
    for (const [text, column, field] of [
      ["quay_id = record('quay')", 'quay_id', 'quay'],
      [`"quay name" = record('it''s')`, 'quay name', "it's"],
    ] as const) {
      assert.deepEqual(simpleOf(text), { column, field });
      assert.equal(textOf({ column, field }), text);
    }
    for (const text of ['', 'TRUE', "quay_id = 'Q1'", "quay_id <> record('quay')", "a = record('b') OR TRUE"])
      assert.equal(simpleOf(text), undefined, text);
    assert.equal(textOf({ column: 'quay_id', field: ' ' }), '');
  });

  it('is fixed to a record’s values by their types, and nothing that was typed reaches out of its place', () => {
    const where = {
      works: "quay = record('quay') AND cost > record('least') AND day = record('day') AND live = record('live')",
    };
    const fields = [
      { name: 'quay', type: 'text' as const },
      { name: 'least', type: 'number' as const },
      { name: 'day', type: 'date' as const },
      { name: 'live', type: 'boolean' as const },
    ];
    const record = { quay: "O'Dell", least: '12.5', day: '2026-10-01', live: 'true' };
    assert.deepEqual(fixedTo(where, fields, record), {
      works: "quay = 'O''Dell' AND cost > 12.5 AND day = DATE('2026-10-01') AND live = true",
    });
    const bad = fixedTo(where, fields, {
      quay: "' OR TRUE OR '",
      least: '0 OR TRUE',
      day: "') OR TRUE",
      live: 'x OR TRUE',
    });
    assert.equal(
      bad['works'],
      "quay = ''' OR TRUE OR ''' AND cost > '0 OR TRUE' AND day = DATE(''') OR TRUE') AND live = 'x OR TRUE'",
    );
  });
});
