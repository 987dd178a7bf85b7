import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { recordFieldsIn, requireRecord } from '../../src/access/index.ts';
import type { DatasetShape } from '../../src/dataset/index.ts';
import { isRefusal } from '../../src/refusal/index.ts';
import { casesOf } from '../cases.ts';

const columns = [
  { name: 'quay', type: 'text' },
  { name: 'cost', type: 'number' },
  { name: 'works', type: 'integer' },
  { name: 'day', type: 'date' },
  { name: 'open', type: 'boolean' },
] as const;
const shape = { name: 'works', columns } as unknown as DatasetShape;
const typeOf = { quay: 'text', cost: 'number', works: 'number', day: 'date', open: 'boolean' } as const;
type Column = keyof typeof typeOf;

describe('the fields of a record that a filter needs', () => {
  it('have the type of the column that they are compared with, whatever stands around', () => {
    const { numRuns, seed } = casesOf(300, 19_404);
    const one = fc.record({
      column: fc.constantFrom<Column>('quay', 'cost', 'works', 'day', 'open'),
      turned: fc.boolean(),
      negated: fc.boolean(),
    });
    fc.assert(
      fc.property(fc.array(one, { minLength: 1, maxLength: 5 }), fc.constantFrom(' AND ', ' OR '), (all, join) => {
        const texts = all.map(({ column, turned, negated }, i) => {
          const call = `record('f${i}')`;
          const text = turned ? `${call} = ${column}` : `${column} = ${call}`;
          return negated ? `NOT (${text})` : text;
        });
        const found = recordFieldsIn(texts.join(join), shape);
        assert.deepEqual(
          found,
          all.map(({ column }, i) => ({ name: `f${i}`, dataset: 'works', type: typeOf[column], column })),
        );
      }),
      { numRuns, seed },
    );
  });

  it('are told once each, also within lists, ranges and functions', () => {
    const names = (text: string) => recordFieldsIn(text, shape).map((field) => `${field.name} ${field.type}`);
    assert.deepEqual(names("quay IN (record('a'), 'Q1', record('b')) AND quay = record('a')"), ['a text', 'b text']);
    assert.deepEqual(names("cost BETWEEN record('least') AND record('most')"), ['least number', 'most number']);
    assert.deepEqual(names("day >= record('from') OR CASEI(quay) = CASEI(record('q'))"), ['from date', 'q text']);
    assert.deepEqual(names("quay = 'record(x)'"), []);
    assert.deepEqual(names(`quay = record('it''s')`), ["it's text"]);
  });

  it('are refused where a value of theirs fits no type, or another function stands there', () => {
    for (const text of ["quay = person('quay')", "quay = param('x')", 'quay = record(quay)', "nothing = record('a')"])
      assert.throws(
        () => recordFieldsIn(text, shape),
        (error) => isRefusal(error),
        text,
      );
  });
});

describe('a record', () => {
  const fields = recordFieldsIn("quay = record('quay') AND cost > record('least')", shape);
  const refused = (record: Record<string, string> | undefined) => {
    try {
      requireRecord(fields, record);
      return undefined;
    } catch (error) {
      assert.ok(isRefusal(error, 'RECORD_INCOMPLETE'));
      return error.details;
    }
  };

  it('is complete with each field, and more', () => {
    assert.equal(refused({ quay: 'Q1', least: '0', name: 'x' }), undefined);
  });

  it('is not without one, with an empty one, or with one that every object has', () => {
    assert.equal(refused(undefined)?.word, 'quay');
    assert.equal(refused({ quay: '', least: '1' })?.word, 'quay');
    assert.equal(refused({ quay: ' \t', least: '1' })?.word, 'quay');
    assert.deepEqual(refused({ Quay: 'Q1', least: '1' })?.nearest, ['Quay']);
    const odd = recordFieldsIn("quay = record('constructor')", shape);
    assert.throws(
      () => requireRecord(odd, {}),
      (error) => isRefusal(error, 'RECORD_INCOMPLETE'),
    );
  });
});
