import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { StatementBinder } from '../../src/filter/index.ts';
import { numberText, textTable, trendPaths } from '../../src/figure/index.ts';
import {
  assembleResult,
  compileCountSql,
  compileFigureSql,
  drilledFigure,
  fillText,
  pivot,
  planFigure,
  readParameters,
  validateReport,
  type BarFigure,
  type CrosstabFigure,
  type DataFigure,
  type Figure,
  type NumberFigure,
  type ReportDefinition,
  type TableFigure,
} from '../../src/report/index.ts';
import { aReport, moment, sailings } from '../builders.ts';
import { refused } from '../refused.ts';

const at = { column: 1, row: 1, width: 6, height: 4 };
const taste = { locale: 'en-GB', timeZone: 'UTC' };
const base = { name: 'f', title: 'F', at };
const bar = (change: Partial<BarFigure> = {}): BarFigure => ({
  ...base,
  kind: 'bar',
  by: 'route',
  measure: 'passengers',
  ...change,
});
const table: TableFigure = {
  ...base,
  kind: 'table',
  columns: ['quay_id', 'route'],
  measures: ['passengers'],
  subtotals: ['quay_id'],
  totals: true,
};
const cross: CrosstabFigure = {
  ...base,
  kind: 'crosstab',
  rows: ['quay_id'],
  across: 'sailed_on',
  step: 'month',
  measure: 'passengers',
  totals: true,
};
const plan = (figure: DataFigure) => planFigure(aReport(), figure, sailings);
const sql = (figure: DataFigure, part: 'main' | 'others' = 'main') =>
  compileFigureSql(plan(figure)[part]!, { rows: { from: 'data."t"', where: 'TRUE' }, binder: new StatementBinder() });
const withFigure = (figure: object, more: Partial<ReportDefinition> = {}) =>
  aReport({ pages: [{ name: 'p', title: 'P', figures: [{ ...base, ...figure } as Figure] }], ...more });
const validate = (report: ReportDefinition) =>
  validateReport(report, (name) => (name === 'sailings' ? sailings : undefined));
const problems = (figure: object, more: Partial<ReportDefinition> = {}) =>
  refused('REPORT_INVALID', () => validate(withFigure(figure, more))).details.problems!.map((one) =>
    one.at.replace('/pages/0/figures/0', ''),
  );

describe('planFigure', () => {
  it('gathers dates by their step', () => {
    assert.match(sql(bar({ by: 'sailed_on', step: 'week' })), /date_trunc\('week', "sailed_on"::timestamp\)::date/);
    assert.match(sql(bar({ by: 'sailed_on', step: 'week' })), /ORDER BY date_trunc\('week'.*ASC/);
  });

  it('asks for what is beyond the limit as one row of its own, never summed from parts', () => {
    const text = sql(bar({ limit: 3, others: true }), 'others');
    assert.match(text, /"place" <= 3/);
    assert.match(text, /WHERE k\."g" IS NULL HAVING count\(\*\) > 0$/);
    assert.equal(plan(bar({ limit: 3 })).others, undefined);
  });

  it('asks for sums over fewer groups', () => {
    assert.deepEqual(
      plan(table).sums.map((one) => one.columns.map((column) => column.name)),
      [['passengers'], ['quay_id', 'passengers']],
    );
    assert.deepEqual(
      plan(cross).sums.map((one) =>
        one.columns.filter((column) => column.role === 'group').map((column) => column.name),
      ),
      [['quay_id'], ['sailed_on'], []],
    );
  });

  it('counts rows without their limit', () => {
    const text = compileCountSql(plan(table).main, {
      rows: { from: 't', where: 'TRUE' },
      binder: new StatementBinder(),
    });
    assert.match(text, /^SELECT count\(\*\)::float8 FROM \(SELECT .* LIMIT 9007199254740991\) counted$/);
  });

  it('opens a mark into the next column, and refuses what opens no further', () => {
    const figure = bar({ drill: ['quay_id'], step: 'week' });
    assert.deepEqual([drilledFigure(figure, 1).by, drilledFigure(figure, 1).step], ['quay_id', undefined]);
    refused('FIGURE_UNKNOWN', () => drilledFigure(figure, 2));
  });
});

describe('assembleResult', () => {
  it('says when it was cut, and colours by the first rule that holds', () => {
    const figure = bar({
      limit: 2,
      others: true,
      colours: [
        { when: 'passengers > 8', tone: 'good' },
        { when: 'passengers > 5', tone: 'warn', words: 'few' },
      ],
    });
    const main = [
      ['a', 9],
      ['b', 6],
      ['c', 1],
    ];
    const result = assembleResult(figure, plan(figure), { main, sums: [], others: [[4]] });
    assert.equal(result.isCut, true);
    assert.equal(result.rows.length, 2);
    assert.deepEqual(result.others, [null, 4]);
    assert.deepEqual(result.tones, [
      { row: 0, tone: 'good' },
      { row: 1, tone: 'warn', words: 'few' },
    ]);
  });

  it('leaves a colour out whose column a mask hides', () => {
    const figure = bar({ colours: [{ when: "quay_id = 'Q001'", tone: 'bad' }] });
    assert.equal(assembleResult(figure, plan(figure), { main: [['a', 1]], sums: [] }).tones, undefined);
  });

  it('gives reference lines their values', () => {
    const figure = bar({
      lines: [
        { label: 'Target', at: 7 },
        { label: 'All', at: 'passengers' },
      ],
    });
    const { lines } = assembleResult(figure, plan(figure), { main: [], sums: [], lines: [[12]] });
    assert.deepEqual(lines, [
      { label: 'Target', value: 7 },
      { label: 'All', value: 12 },
    ]);
  });
});

describe('textTable', () => {
  const rows = [
    ['Q1', 'a', 1],
    ['Q1', 'b', 2],
    ['Q2', 'a', 4],
  ];
  const result = assembleResult(table, plan(table), {
    main: rows,
    sums: [
      [[7]],
      [
        ['Q1', 3],
        ['Q2', 4],
      ],
    ],
  });

  it('puts a sum line after each of its groups, and the total at the foot', () => {
    const { lines, foot } = textTable(table, result, taste);
    assert.deepEqual(
      lines.map((one) => one.cells.map((cell) => cell.text).join('|')),
      ['Q1|a|1', 'Q1|b|2', 'Q1|Sum|3', 'Q2|a|4', 'Q2|Sum|4'],
    );
    assert.deepEqual(
      foot?.map((one) => one.text),
      ['Total', '', '7'],
    );
  });

  it('leaves the sum line of a cut group away', () => {
    const { lines } = textTable(table, { ...result, isCut: true }, taste);
    assert.equal(lines.at(-1)?.kind, 'row');
  });

  it('lays a crosstab out, its totals from their own questions', () => {
    const main = [
      ['Q1', '2026-09-01', 1],
      ['Q1', '2026-10-01', 2],
      ['Q2', '2026-10-01', 5],
    ];
    const answers = {
      main,
      sums: [
        [
          ['Q1', 3],
          ['Q2', 5],
        ],
        [
          ['2026-09-01', 1],
          ['2026-10-01', 7],
        ],
        [[8]],
      ],
    };
    const found = assembleResult(cross, plan(cross), answers);
    const { heads, lines, foot, grand } = pivot(cross, found);
    assert.deepEqual(heads, ['2026-09-01', '2026-10-01']);
    assert.deepEqual(
      lines.map((one) => [...one.cells, one.total]),
      [
        [1, 2, 3],
        [undefined, 5, 5],
      ],
    );
    assert.deepEqual([foot, grand], [[1, 7], 8]);
    const text = textTable(cross, found, taste);
    assert.deepEqual(
      text.headings.map((one) => one.text),
      ['Quay', 'Sept 2026', 'Oct 2026', 'Total'],
    );
    assert.deepEqual(
      text.lines[1]!.cells.map((one) => one.text),
      ['Q2', '', '5', '5'],
    );
  });
});

describe('numberText', () => {
  const figure = (compare: NumberFigure['compare']): NumberFigure => ({
    ...base,
    kind: 'number',
    measure: 'passengers',
    compare,
  });
  const shown = (compare: NumberFigure['compare'], value: number, before?: number, format = '#,##0') => {
    const column = { name: 'passengers', label: 'P', type: 'number', role: 'measure', format } as const;
    const result = {
      columns: [column],
      rows: [[value]],
      ...(before === undefined ? {} : { before: { words: 'September', rows: [[before]] } }),
    };
    return numberText(figure(compare), result, taste).comparison;
  };

  it('compares with an earlier period in per cent, shares in points', () => {
    assert.deepEqual(shown({ with: 'period before' }, 110, 100), {
      text: '10.0 % more than September',
      sign: '▲',
      tone: 'good',
    });
    assert.deepEqual(shown({ with: 'period before', better: 'less' }, 110, 100)?.tone, 'bad');
    assert.equal(shown({ with: 'period before' }, 0.82, 0.8, '0.0 %')?.text, '2.0 points more than September');
    assert.equal(shown({ with: 'period before' }, 5, 0)?.text, '5 more than September');
    assert.deepEqual(shown({ with: 'period before' }, 5, 5), { text: 'as in September', sign: '=' });
    assert.equal(shown({ with: 'period before' }, 5), undefined);
  });

  it('compares with a target, which is met when it is reached', () => {
    assert.deepEqual(shown({ with: 'target', target: 100 }, 90), {
      text: '10.0 % under the target of 100',
      sign: '▼',
      tone: 'bad',
    });
    assert.equal(shown({ with: 'target', target: 100 }, 100)?.tone, 'good');
  });

  it('draws no trend of fewer than two points', () => {
    const along = (values: readonly number[]) => ({ columns: [], rows: values.map((value, i) => [`d${i}`, value]) });
    const none = { whole: '', incomplete: '' };
    assert.deepEqual(trendPaths({ trend: along([1]) }, 10, 10), none);
    assert.deepEqual(trendPaths({ trend: along([1, 3]) }, 12, 0), none, 'no room');
    assert.deepEqual(trendPaths({ trend: along([1, 3]) }, 12, 12), { whole: 'M2.0 10.0L10.0 2.0', incomplete: '' });
  });

  it('draws the stretch of a trend to an incomplete period apart', () => {
    const trend = { columns: [], rows: [1, 2, 3, 1].map((value, i) => [`d${i}`, value]) };
    const paths = (...incomplete: string[]) => trendPaths({ trend, incomplete }, 14, 14);
    assert.deepEqual(paths('d3'), { whole: 'M2.0 12.0L5.3 7.0L8.7 2.0', incomplete: 'M8.7 2.0L12.0 12.0' });
    assert.deepEqual(paths('d0', 'd3'), {
      whole: 'M5.3 7.0L8.7 2.0',
      incomplete: 'M2.0 12.0L5.3 7.0M8.7 2.0L12.0 12.0',
    });
    const two = { columns: [], rows: trend.rows.slice(0, 2) };
    assert.deepEqual(trendPaths({ trend: two, incomplete: ['d0', 'd1'] }, 14, 14), {
      whole: '',
      incomplete: 'M2.0 12.0L12.0 2.0',
    });
  });
});

describe('fillText', () => {
  it('puts values and parameters in, in the reader’s language', () => {
    const column = { name: 'passengers', label: 'P', type: 'number', role: 'measure', unit: 'p' } as const;
    const result = { columns: [column], rows: [[1234.5]] };
    assert.equal(
      fillText('{param:month}: {passengers}, {other}', result, { month: 'Oktober' }, { locale: 'de', timeZone: 'UTC' }),
      'Oktober: 1.234,5 p, –',
    );
  });
});

describe('validateReport, figure by figure', () => {
  it('takes every kind with all its options', () => {
    validate(
      withFigure(
        {
          kind: 'number',
          measure: 'passengers',
          beside: 'sailings',
          compare: { with: 'period before' },
          trend: { along: 'sailed_on', step: 'week' },
        },
        { parameters: [{ name: 'period', type: 'date', column: 'sailed_on', period: true, default: 'last month' }] },
      ),
    );
    validate(
      withFigure({
        kind: 'area',
        by: 'sailed_on',
        split: 'route',
        measures: ['passengers'],
        lines: [{ label: 'T', at: 'sailings' }],
      }),
    );
    validate(withFigure({ kind: 'scatter', by: 'route', x: 'passengers', y: 'sailings', size: 'sailings' }));
    validate(withFigure({ ...table, colours: [{ when: 'passengers < 3', tone: 'bad', column: 'passengers' }] }));
    validate(withFigure(cross));
    validate(withFigure({ kind: 'text', text: '{passengers} in {param:quay}', link: { page: 'p' } }));
    validate(withFigure({ kind: 'picker', parameter: 'quay', look: 'search' }));
  });

  for (const [what, figure, place] of [
    ['a step on a text', { kind: 'bar', by: 'route', step: 'week', measure: 'passengers' }, '/step'],
    ['a line along a text', { kind: 'line', by: 'route', measures: ['passengers'] }, '/by'],
    ['others without a limit', { kind: 'bar', by: 'route', measure: 'passengers', others: true }, '/others'],
    ['a stack without a split', { kind: 'bar', by: 'route', measure: 'passengers', stack: 'share' }, '/stack'],
    [
      'a split and small charts',
      { kind: 'bar', by: 'route', split: 'quay_id', each: 'quay_id', measure: 'passengers' },
      '/each',
    ],
    [
      'two measures in a split',
      { kind: 'line', by: 'sailed_on', split: 'route', measures: ['passengers', 'sailings'] },
      '/measures',
    ],
    ['an unknown drill column', { kind: 'bar', by: 'route', measure: 'passengers', drill: ['quai_id'] }, '/drill/0'],
    [
      'an unknown measure in a line',
      { kind: 'bar', by: 'route', measure: 'passengers', lines: [{ label: 'x', at: 'pasengers' }] },
      '/lines/0/at',
    ],
    [
      'a period before without a period',
      { kind: 'number', measure: 'passengers', compare: { with: 'period before' } },
      '/compare/with',
    ],
    ['sum lines in another order', { ...table, subtotals: ['route'] }, '/subtotals/0'],
    ['totals of plain rows', { kind: 'table', columns: ['route'], totals: true }, '/totals'],
    [
      'a colour over an unknown name',
      { kind: 'bar', by: 'route', measure: 'passengers', colours: [{ when: 'pasengers > 1', tone: 'bad' }] },
      '/colours/0/when',
    ],
    ['a column on both sides', { ...cross, across: 'quay_id', step: undefined }, '/across'],
    ['an unknown page in a link', { kind: 'text', text: 'x', link: { page: 'q' } }, '/link/page'],
    ['an unknown measure in a text', { kind: 'text', text: '{pasengers}' }, '/text'],
    ['an unknown parameter in a picker', { kind: 'picker', parameter: 'quai' }, '/parameter'],
  ] as const) {
    it(`points at ${what}`, () => {
      const found = problems(JSON.parse(JSON.stringify(figure)) as object);
      assert.ok(found.includes(place), found.join(', '));
    });
  }

  it('checks parameters: periods, defaults, allowed values, a narrow order', () => {
    const parameter = (change: object) =>
      problems(
        { kind: 'text', text: 'x' },
        { parameters: [{ name: 'p', type: 'text', column: 'route', ...change } as never] },
      );
    assert.ok(parameter({ period: true }).includes('/parameters/0/period'));
    assert.ok(parameter({ allowed: ['a', 'b'], default: 'c' }).includes('/parameters/0/default'));
    assert.ok(parameter({ allowed: { column: 'rout' } }).includes('/parameters/0/allowed/column'));
    assert.ok(parameter({ allowed: { column: 'route', within: ['q'] } }).includes('/parameters/0/allowed/within/0'));
    const pages = [{ name: 'p', title: 'P', narrow: ['g'], figures: [{ ...base, kind: 'text', text: 'x' } as Figure] }];
    assert.equal(refused('REPORT_INVALID', () => validate(aReport({ pages }))).details.pointer, '/pages/0/narrow/0');
  });
});

describe('readParameters, with defaults', () => {
  const report = aReport({
    parameters: [
      { name: 'period', type: 'date', column: 'sailed_on', period: true, default: 'last month' },
      { name: 'route', type: 'text', column: 'route', many: true, allowed: ['R1', 'R2'] },
    ],
  });
  const { today } = moment;

  it('takes the default until something is given or it is taken off', () => {
    assert.deepEqual(readParameters(report, {}, { today })[0]?.values, ['2026-10-01', '2026-10-31']);
    assert.equal(readParameters(report, {}, { today })[0]?.isDefault, true);
    assert.deepEqual(readParameters(report, { period: '2026-09' }, { today })[0]?.span, {
      from: '2026-09-01',
      to: '2026-09-30',
    });
    assert.deepEqual(readParameters(report, {}, { today, without: ['period'] }), []);
    assert.deepEqual(readParameters(report, {}, { today, isPartial: true }), []);
    refused('PARAMETER_UNKNOWN', () => readParameters(report, {}, { today, without: ['perod'] }));
  });

  it('takes several values only where it may, and only allowed ones', () => {
    assert.deepEqual(readParameters(report, { route: ['R1', 'R2'] }, { today })[1]?.values, ['R1', 'R2']);
    refused('VALUE_INVALID', () => readParameters(report, { period: ['2026', '2025'] }, { today }));
    assert.deepEqual(
      refused('VALUE_INVALID', () => readParameters(report, { route: 'R3' }, { today })).details.nearest,
      ['R1', 'R2'],
    );
    // An empty value is a value, not the absence of one: it must never show everything.
    refused('VALUE_INVALID', () => readParameters(report, { route: '' }, { today }));
  });
});
