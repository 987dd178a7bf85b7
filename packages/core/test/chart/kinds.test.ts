import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { chartInWords, chartLegend, chartNote, chartOption, type ChartStyle } from '../../src/chart/index.ts';
import { chartSvg, pageSvg, renderPng } from '../../src/render/index.ts';
import type { BarFigure, ChartFigure, FigureResult, Page } from '../../src/report/index.ts';
import { light } from '../../src/theme/index.ts';
import { createRequire } from 'node:module';

const taste = { locale: 'en-GB', timeZone: 'UTC' };
const look: ChartStyle = { theme: light, taste, width: 600, height: 300 };
const at = { column: 1, row: 1, width: 12, height: 8 };
const base = { name: 'f', title: 'F', at };
const group = (name: string, type: 'text' | 'date' = 'text') => ({ name, label: name, type, role: 'group' }) as const;
const measure = { name: 'm', label: 'M', type: 'number', role: 'measure', format: '#,##0' } as const;
interface Drawn {
  series: {
    type: string;
    name: string;
    stack?: string;
    data: { value: number | null; name: string; itemStyle: { color: string } }[];
  }[];
  title?: { text: string }[];
}
const draw = (figure: ChartFigure, result: FigureResult, change: Partial<ChartStyle> = {}) =>
  chartOption(figure, result, { ...look, ...change }) as unknown as Drawn;
const bar: BarFigure = { ...base, kind: 'bar', by: 'r', measure: 'm' };
const simple: FigureResult = {
  columns: [group('r'), measure],
  rows: [
    ['a', 3],
    ['b', 2],
  ],
};
const long: FigureResult = {
  columns: [group('r'), group('s'), measure],
  rows: [
    ['a', 'x', 1],
    ['a', 'y', 5],
    ['b', 'y', 2],
  ],
};

describe('bars', () => {
  it('end with the others, in a quiet colour that cannot be picked', () => {
    const [series] = draw(bar, { ...simple, others: [null, 9] }).series;
    const last = series!.data[0]!;
    assert.deepEqual([last.value, last.name, last.itemStyle.color], [9, '', light.quiet]);
  });

  it('leave as much room on paper as the legend takes, which tells the earlier period in grey', () => {
    type Placed = { grid: { top: number }; series: { itemStyle: { color: string } }[] };
    const names = ['berth blocked', 'weather', 'engine', 'crew', 'tide'];
    const split: FigureResult = { columns: long.columns, rows: names.map((name) => ['a', name, 1]) };
    const top = (width: number) =>
      (draw({ ...bar, split: 's' } as BarFigure, split, { width, isPrint: true }) as unknown as Placed).grid.top;
    assert.equal(top(240) - top(900), 18, 'a second line');
    const before = { words: 'September', rows: [['b', 8]] } as FigureResult['before'];
    const { series } = draw(bar, { ...simple, before }, { isPrint: true }) as unknown as Placed;
    assert.deepEqual(
      series.map((one) => one.itemStyle.color),
      [light.series[0], light.faded],
    );
  });

  it('stand beside their earlier period, matched by name', () => {
    const { series } = draw(bar, {
      ...simple,
      before: {
        words: 'September',
        rows: [
          ['b', 8],
          ['c', 1],
        ],
      },
    });
    assert.deepEqual(
      series[1]!.data.map((one) => one.value),
      [8, null],
    );
    assert.equal(series[1]!.name, 'September');
  });

  it('take the colour of their rule, and fade beside a picked one', () => {
    const toned = { ...simple, tones: [{ row: 1, tone: 'bad' as const }] };
    assert.deepEqual(
      draw(bar, toned).series[0]!.data.map((one) => one.itemStyle.color),
      [light.signal, light.series[0]],
    );
    assert.equal(draw(bar, toned, { picked: ['a'] }).series[0]!.data[0]!.itemStyle.color, light.faded);
  });

  it('stack what they are split by, largest series first; shares fill the axis', () => {
    const split: BarFigure = { ...bar, split: 's' };
    assert.deepEqual(
      draw(split, long).series.map((one) => [one.name, one.stack]),
      [
        ['y', 'all'],
        ['x', 'all'],
      ],
    );
    const [y, x] = draw({ ...split, stack: 'share' }, long).series;
    assert.deepEqual([y!.data[1]!.value, x!.data[1]!.value], [5 / 6, 1 / 6]);
  });

  it('carry reference lines as series of their own', () => {
    const { series } = draw(bar, { ...simple, lines: [{ label: 'Target', value: 4 }] });
    assert.deepEqual(series.at(-1)?.data, [
      [4, 0],
      [4, 1],
    ] as never);
  });
});

describe('other charts', () => {
  it('make a small chart for each value, all on one scale', () => {
    const option = draw({ ...base, kind: 'line', by: 'r', each: 's', measures: ['m'] }, long) as Drawn & {
      yAxis: { min: number; max: number }[];
    };
    assert.deepEqual(
      option.title?.map((one) => one.text),
      ['y', 'x'],
    );
    assert.equal(new Set(option.yAxis.map((one) => `${one.min} ${one.max}`)).size, 1);
  });

  it('size points by their measure', () => {
    const result: FigureResult = {
      columns: [group('r'), { ...measure, name: 'x' }, { ...measure, name: 'y' }, { ...measure, name: 'z' }],
      rows: [
        ['a', 1, 2, 100],
        ['b', 3, 4, 1],
      ],
    };
    const data = draw({ ...base, kind: 'scatter', by: 'r', x: 'x', y: 'y', size: 'z' }, result).series[0]!
      .data as unknown as { symbolSize: number }[];
    assert.ok(data[0]!.symbolSize > data[1]!.symbolSize * 2);
  });

  it('say how many of many they leave away', () => {
    const many: FigureResult = { ...long, rows: Array.from({ length: 14 }, (_, i) => ['a', `s${i}`, i]) };
    const note = (figure: ChartFigure, result: FigureResult) => chartNote(figure, result, taste);
    assert.equal(note({ ...bar, split: 's' }, many), 'the largest 7 of 14 are shown');
    assert.equal(note({ ...bar, each: 's' }, many), 'the largest 12 of 14 are shown');
    assert.equal(note({ ...bar, each: 's' }, long), undefined);
    assert.equal(note(bar, simple), undefined);
  });

  it('show and say which periods are incomplete', () => {
    const months = ['2026-08-01', '2026-09-01', '2026-10-01', '2026-11-01'];
    const result: FigureResult = {
      columns: [{ ...group('r', 'date'), step: 'month' }, measure],
      rows: months.map((month, i) => [month, 10 + i]),
      incomplete: ['2026-08-01', '2026-11-01'],
    };
    const line = { ...base, kind: 'line', by: 'r', step: 'month', measures: ['m'] } as const;
    assert.equal(chartNote(line, result, taste), 'Aug 2026 and Nov 2026 are incomplete');
    const omitted = { ...result, rows: result.rows.slice(1, 3), incomplete: ['2026-11-01'] };
    assert.equal(
      chartNote({ ...line, incompletePeriods: 'omit' }, omitted, taste),
      'Nov 2026 is incomplete and left out',
    );
    const [whole, ...ends] = draw(line, result).series;
    assert.deepEqual(
      whole!.data.map((one) => one.value),
      [10, 11, 12, 13],
      'every value can be pointed at',
    );
    assert.deepEqual(
      ends.map((one) => one.data.map((point) => point.value)),
      [
        [10, 11, null, null],
        [null, null, 12, 13],
      ],
    );
    assert.equal(draw(line, omitted).series.length, 1, 'nothing to draw of what is left out');
    const dates: FigureResult = { ...result, columns: [result.columns[0]!, result.columns[1]!] };
    const faded = draw({ ...bar, by: 'r', step: 'month' } as BarFigure, dates).series[0]!.data as unknown as {
      itemStyle: { opacity?: number };
    }[];
    assert.deepEqual(
      faded.map((one) => one.itemStyle.opacity !== undefined),
      [true, false, false, true],
    );
    // Stacked areas: the end lies as high as what it stands on.
    const stacked: FigureResult = {
      columns: [{ ...group('r', 'date'), step: 'month' }, group('s'), measure],
      rows: months.flatMap((month) => [
        [month, 'x', 5],
        [month, 'y', 3],
      ]),
      incomplete: ['2026-11-01'],
    };
    const area = { ...base, kind: 'area', by: 'r', step: 'month', split: 's', measures: ['m'] } as const;
    const last = draw(area, stacked)
      .series.slice(2)
      .map((one) => one.data.at(-1)!.value);
    assert.deepEqual(last, [5, 8]);
    const panels = draw({ ...base, kind: 'line', by: 'r', step: 'month', each: 's', measures: ['m'] }, stacked).series;
    assert.equal(panels.length, 4, 'a panel for each, and an end in each');
  });

  it('have a legend only where colours tell things apart', () => {
    assert.deepEqual(chartLegend(bar, simple, light), []);
    assert.deepEqual(
      chartLegend({ ...bar, split: 's' }, long, light).map((one) => one.name),
      ['y', 'x'],
    );
  });

  it('are said in words, with their extremes', () => {
    assert.equal(chartInWords(bar, simple, taste), 'F: 2 bars of M, highest a with 3, lowest b with 2');
  });

  for (const figure of [bar, { ...bar, split: 's' }, { ...bar, each: 's' }] as BarFigure[])
    it(`are drawn without a browser: ${figure.split ? 'split' : figure.each ? 'small' : 'plain'}`, () => {
      const svg = chartSvg(figure, (figure.split ?? figure.each) ? long : simple, look);
      assert.match(svg, /^<svg /);
      const shapes = (svg.match(/<path/g) ?? []).length;
      assert.ok(shapes >= 2, String(shapes));
    });
});

describe('renderPng', () => {
  const page: Page = {
    name: 'p',
    title: 'Page',
    figures: [
      { ...base, kind: 'number', name: 'n', measure: 'm', at: { column: 1, row: 1, width: 4, height: 3 } },
      {
        ...base,
        kind: 'text',
        name: 't',
        text: '{m} & <more> in {param:month}',
        at: { column: 5, row: 1, width: 8, height: 3 },
      },
      { ...bar, name: 'b', at: { column: 1, row: 4, width: 6, height: 6 } },
      {
        ...base,
        kind: 'table',
        name: 'l',
        columns: ['r'],
        measures: ['m'],
        at: { column: 7, row: 4, width: 6, height: 6 },
      },
      { ...base, kind: 'number', name: 'x', measure: 'm', at: { column: 1, row: 10, width: 4, height: 3 } },
    ],
  };
  const one: FigureResult = { columns: [measure], rows: [[1234]] };
  const scene = {
    title: 'Report',
    page,
    results: new Map<string, FigureResult>([
      ['n', one],
      ['t', one],
      ['b', simple],
      ['l', simple],
      ['x', { columns: [], rows: [], refused: { code: 'COLUMN_HIDDEN', message: 'm is not shown' } }],
    ]),
    taste,
    limits: ['Period: October'],
    parameters: { month: 'October' },
    dataAsOf: Date.parse('2026-11-01T00:00:00Z'),
  };

  it('draws every kind of figure, and says why one is missing', () => {
    const { svg } = pageSvg(scene);
    for (const text of ['1,234', '1,234 &amp; &lt;more&gt; in October', 'm is not shown', 'Period: October'])
      assert.ok(svg.includes(text), text);
  });

  it('leaves ink on the paper: without its fonts text would vanish unseen', () => {
    const require = createRequire(import.meta.url);
    const fonts = ['400Regular/SourceSans3_400Regular.ttf', '600SemiBold/SourceSans3_600SemiBold.ttf'].map((file) =>
      require.resolve(`@expo-google-fonts/source-sans-3/${file}`),
    );
    const png = renderPng(scene, fonts);
    const blank = renderPng({ ...scene, title: ' ', limits: [], page: { ...page, title: ' ', figures: [] } }, fonts);
    assert.equal(png.subarray(1, 4).toString(), 'PNG');
    assert.ok(png.length > blank.length * 5, `${png.length} against ${blank.length}`);
  });
});
