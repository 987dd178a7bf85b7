import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { StatementBinder, type TypedNode } from '../../src/filter/index.ts';
import { canShareScan, compileFigureSetsSql, planFigure, type DataFigure } from '../../src/report/index.ts';
import { aReport, sailings } from '../builders.ts';

const at = { column: 1, row: 1, width: 6, height: 4 };
const report = aReport({
  measures: {
    sailings: { label: 'Sailings', expression: 'count()' },
    passengers: { label: 'Passengers', expression: 'sum(passengers)' },
    routes: { label: 'Routes', expression: '1 + count_distinct(route)' },
    busy: { label: 'Busy', expression: 'sum(passengers > 100)' },
  },
});
const plan = (figure: object) => planFigure(report, { name: 'f', title: 'F', at, ...figure } as DataFigure, sailings);
const number = plan({ kind: 'number', measure: 'busy', trend: { along: 'sailed_on', step: 'month' } });
const bar = plan({ kind: 'bar', by: 'route', measure: 'passengers', limit: 2, others: true });
const line = plan({ kind: 'line', by: 'sailed_on', measures: ['passengers', 'sailings'] });
const partitionBy: TypedNode = { kind: 'column', type: 'text', column: sailings.columns[0]! };
const compile = (...queries: Parameters<typeof compileFigureSetsSql>[0]) => {
  const binder = new StatementBinder();
  const sets = compileFigureSetsSql(queries, { rows: { from: 'data."t"', where: 'TRUE' }, binder, partitionBy });
  return { ...sets, binder };
};

describe('queries that share a scan', () => {
  it('are those that group, from their first group on, without distinct values', () => {
    assert.ok([number.main, number.trend!, bar.main, line.main].every(canShareScan));
    assert.equal(canShareScan(bar.others!), false, 'what is beyond the first groups takes two looks');
    assert.equal(canShareScan(plan({ kind: 'number', measure: 'routes' }).main), false);
    assert.equal(canShareScan(plan({ kind: 'table', columns: ['route'] }).main), false);
    assert.equal(canShareScan({ ...bar.main, offset: 10 }), false);
  });

  it('read their rows once, and group them in each way once', () => {
    const { text, binder } = compile(number.main, number.trend!, bar.main, line.main, bar.main);
    assert.equal(text.match(/FROM data\."t"/g)!.length, 1);
    const [, sets] = /GROUPING SETS \((.*?)\)\) SELECT/.exec(text)!;
    assert.equal(
      sets,
      '("quay_id"), ("quay_id", date_trunc(\'month\', "sailed_on"::timestamp)::date), ("quay_id", "route"), ("quay_id", "sailed_on")',
    );
    assert.equal(text.match(/sum\("passengers"\)/g)!.length, 1, 'a measure that several show is computed once');
    assert.equal(binder.values.length, 1, 'and its values are bound once');
  });

  it('group by what all are parted by without another way of grouping', () => {
    const own = plan({ kind: 'bar', by: 'quay_id', measure: 'passengers' });
    const both = plan({ kind: 'table', columns: ['quay_id', 'route'], measures: ['passengers'] });
    const { text } = compile(own.main, both.main, number.main);
    assert.match(text, /grouping\("route"\) AS "set"/);
    assert.match(text, /GROUPING SETS \(\("quay_id"\), \("quay_id", "route"\)\)/);
    assert.match(text, /"set" = 1\) AS q0 .*"set" = 0\) AS q1 .*"set" = 1\) AS q2/);
  });

  it('keep each its order, and one row more than its limit', () => {
    const { text } = compile(bar.main, line.main);
    assert.match(text, /PARTITION BY "p" ORDER BY "c1" DESC NULLS LAST, "c0" ASC NULLS LAST\)/);
    assert.match(text, /AS q0 WHERE "place" <= 3 /);
  });

  it('give each row to its query, with the cells that it asked for', () => {
    const { read } = compile(bar.main, line.main);
    // route, passengers, sailed_on, sailings
    assert.deepEqual(read([0, 'Q001', 1, 'Hollin', 12, null, null]), {
      query: 0,
      partition: 'Q001',
      place: 0,
      cells: ['Hollin', 12],
    });
    assert.deepEqual(read([1, 'Q002', 2, null, 7, '2026-10-01', 3]).cells, ['2026-10-01', 7, 3]);
  });
});
