import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { StatementBinder, checkFilter, compileSql, parseFilter } from '../../src/filter/index.ts';
import {
  compileFigureSql,
  findPage,
  planFigure,
  readParameters,
  validateReport,
  type DataFigure,
} from '../../src/report/index.ts';
import { aReport, moment, sailings } from '../builders.ts';
import { refused } from '../refused.ts';

const { today } = moment;
const find = (name: string) => (name === 'sailings' ? sailings : undefined);
const validate = (value: unknown) => validateReport(value, find);
const problemsOf = (value: unknown) => refused('REPORT_INVALID', () => validate(value)).details.problems!;
const first = aReport().pages[0]!;

describe('validateReport', () => {
  it('takes a sound definition', () => {
    assert.equal(validate(aReport()).name, 'punctuality');
  });

  it('points at an option it does not know and names the nearest', () => {
    const [problem] = problemsOf({ ...aReport(), titel: 'x' });
    assert.equal(problem?.at, '/titel');
    assert.match(problem?.hint ?? '', /“title”/);
    const bar = { ...first.figures[1], measur: 'x' };
    const [inner] = problemsOf(aReport({ pages: [{ ...first, figures: [first.figures[0]!, bar as never] }] }));
    assert.equal(inner?.at, '/pages/0/figures/1/measur');
    assert.match(inner?.hint ?? '', /“measure”/);
  });

  it('names every mistake at once, each with its JSON Pointer', () => {
    const figures = [
      { ...first.figures[0]!, measure: 'sailngs' },
      { ...first.figures[1]!, by: 'Route' },
    ] as never;
    const found = problemsOf(
      aReport({
        datasets: { sailings: {}, works: {} },
        pages: [{ ...first, figures }],
        measures: { sailings: { label: 'S', expression: 'cont()', dataset: 'sailings' } },
      }),
    );
    assert.deepEqual(
      found.map((one) => one.at),
      [
        '/datasets/works',
        '/measures/sailings/expression',
        '/pages/0/figures/0',
        '/pages/0/figures/0/measure',
        '/pages/0/figures/1',
        '/pages/0/figures/1/measure',
      ],
    );
  });

  it('finds figures that overlap or leave the page, and names that stand twice', () => {
    const [one, two] = first.figures as [DataFigure, DataFigure];
    const at = (figures: DataFigure[]) =>
      problemsOf(aReport({ pages: [{ ...first, figures }] })).map((problem) => problem.at);
    assert.deepEqual(at([one, { ...two, at: { column: 2, row: 2, width: 3, height: 3 } }]), ['/pages/0/figures/1/at']);
    assert.deepEqual(at([{ ...one, at: { column: 11, row: 1, width: 3, height: 1 } }, two]), [
      '/pages/0/figures/0/at/width',
    ]);
    assert.deepEqual(at([one, { ...two, name: 'all' }]), ['/pages/0/figures/1/name']);
  });

  it('checks filters and parameters against the columns', () => {
    assert.deepEqual(
      problemsOf(aReport({ where: "quay_ID = 'x'" }))[0]?.hint,
      'Did you mean “quay_id”? Names are case-sensitive.',
    );
    assert.equal(
      problemsOf(aReport({ parameters: [{ name: 'quay', type: 'date', key: 'quay' }] }))[0]?.at,
      '/parameters/0/type',
    );
    assert.equal(
      problemsOf(aReport({ parameters: [{ name: 'where', type: 'text', key: 'quay' }] }))[0]?.at,
      '/parameters/0/name',
    );
    assert.equal(
      problemsOf(aReport({ parameters: [{ name: 'quay', type: 'text', key: 'quai' }] }))[0]?.hint,
      'Did you mean “quay”?',
    );
  });
});

describe('compileFigureSql', () => {
  const where = checkFilter(parseFilter("quay_id = 'Q017'"), { dataset: sailings, text: '' });
  const report = aReport();
  const query = planFigure(report, first.figures[1] as DataFigure, sailings).main;

  it('groups, orders and limits', () => {
    const binder = new StatementBinder();
    assert.equal(
      compileFigureSql(query, { rows: { from: 'data."t"', where: compileSql(where, binder) }, binder }),
      'SELECT "route" AS "route", (sum("passengers"))::float8 AS "passengers" FROM data."t" WHERE ("quay_id" = $1::text) GROUP BY "route" ORDER BY sum("passengers") DESC NULLS LAST, "route" ASC NULLS LAST LIMIT 31',
    );
  });

  it('answers for all values of a column in one statement', () => {
    const partitionBy = { kind: 'column', type: 'text', column: sailings.columns[0]! } as const;
    const rows = { from: 'data."t"', where: 'TRUE' };
    const sql = compileFigureSql(query, { rows, binder: new StatementBinder(), partitionBy });
    assert.match(sql, /row_number\(\) OVER \(PARTITION BY "quay_id" ORDER BY sum\("passengers"\) DESC/);
    assert.match(sql, /GROUP BY "quay_id", "route"/);
    assert.match(sql, /"row place" <= 31/);
  });
});

describe('readParameters', () => {
  it('refuses a name in the wrong case instead of showing everything', () => {
    const { details } = refused('PARAMETER_UNKNOWN', () => readParameters(aReport(), { Quay: 'Q017' }, { today }));
    assert.equal(details.nearest?.[0], 'quay');
  });

  it('reads values by type and misses required ones', () => {
    const report = aReport({ parameters: [{ name: 'month', type: 'date', column: 'sailed_on', required: true }] });
    refused('PARAMETER_MISSING', () => readParameters(report, {}, { today }));
    refused('VALUE_INVALID', () => readParameters(report, { month: 'October' }, { today }));
    assert.deepEqual(readParameters(report, { month: '2026-10-01' }, { today })[0]?.values, ['2026-10-01']);
  });
});

describe('findPage', () => {
  it('names the nearest page', () => {
    assert.equal(refused('PAGE_UNKNOWN', () => findPage(aReport(), 'Overview')).details.nearest?.[0], 'overview');
  });
});
