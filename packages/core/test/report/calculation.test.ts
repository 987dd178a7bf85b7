import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { planFigure, resultColumns, type Calculation, type Measure } from '../../src/report/index.ts';
import { aReport, sailings } from '../builders.ts';

/** How the measures of a table follow from each other. */
function calculations(expressions: Readonly<Record<string, string>>): Record<string, Calculation> {
  const measures = Object.fromEntries(
    Object.entries(expressions).map(([name, expression]): [string, Measure] => [name, { label: name, expression }]),
  );
  const at = { column: 1, row: 1, width: 6, height: 4 };
  const names = Object.keys(measures);
  const table = { kind: 'table', name: 't', title: 'T', columns: ['route'], measures: names, at } as const;
  const columns = resultColumns(planFigure(aReport({ measures }), table, sailings).main);
  return Object.fromEntries(columns.flatMap((one) => (one.calculation ? [[one.name, one.calculation]] : [])));
}
const count = (column: number) => ({ column, mayBeMissing: false });
const other = (column: number) => ({ column, mayBeMissing: true });

describe('how columns of an answer follow from each other', () => {
  it('says arithmetic over measures that stand in columns of their own, wherever they stand', () => {
    assert.deepEqual(
      calculations({ each: 'sum(fares) / count()', fares: 'sum(fares)', trips: 'count()', gone: 'sum(cancelled)' }),
      { each: { op: '/', args: [other(2), count(3)] } },
    );
    assert.deepEqual(
      calculations({ gone: 'sum(cancelled)', trips: 'count()', left: '100 * (count() - sum(cancelled)) / count()' }),
      {
        left: {
          op: '/',
          args: [{ op: '*', args: [{ value: 100 }, { op: '-', args: [count(2), other(1)] }] }, count(2)],
        },
      },
    );
  });

  it('says one by another that is calculated itself, and never two by each other', () => {
    const found = calculations({
      a: 'sum(fares) / count()',
      b: 'sum(fares) / count() + 1',
      same: 'sum(fares) / count()',
      fares: 'sum(fares)',
      trips: 'count()',
    });
    assert.deepEqual(found['b'], { op: '+', args: [other(1), { value: 1 }] });
    assert.deepEqual(found['a'], { op: '/', args: [other(4), count(5)] });
    assert.deepEqual(found['same'], found['a']);
  });

  it('says nothing where something is needed that no column shows', () => {
    const two = calculations({ share: 'sum(cancelled) / count()', trips: 'count()' });
    assert.deepEqual(two, {});
    assert.deepEqual(calculations({ fares: 'sum(fares)', most: 'max(fares)', mean: 'avg(fares)' }), {});
    assert.deepEqual(calculations({ one: '1 + 1', trips: 'count()' }), {});
    assert.deepEqual(calculations({ many: 'count() > 3', trips: 'count()' }), {});
  });

  it('tells aggregates of other columns, and other conditions, apart', () => {
    assert.deepEqual(calculations({ share: 'sum(fares) / count()', p: 'sum(passengers)', trips: 'count()' }), {});
    const not = calculations({ a: 'sum(NOT cancelled) / count()', b: 'sum(cancelled)', trips: 'count()' });
    assert.deepEqual(not, {});
  });
});
