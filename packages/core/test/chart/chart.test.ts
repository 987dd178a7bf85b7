import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { chartInWords, chartOption, type ChartStyle } from '../../src/chart/index.ts';
import type { BarFigure, ChartPart, FigureResult, LineFigure, ScatterFigure } from '../../src/report/index.ts';
import { dark, light } from '../../src/theme/index.ts';

const taste = { locale: 'en-GB', timeZone: 'UTC' };
const at = { column: 1, row: 1, width: 6, height: 6 };
const bar: BarFigure = { kind: 'bar', name: 'by-route', title: 'By route', by: 'route', measure: 'share', at };
const line: LineFigure = { kind: 'line', name: 'by-day', title: 'By day', by: 'day', measures: ['share'], at };
const look = (change: Partial<ChartStyle> = {}): ChartStyle => ({
  theme: light,
  taste,
  width: 500,
  height: 300,
  ...change,
});
const group = (type: 'text' | 'date') => ({ name: 'g', label: 'Group', type, role: 'group' as const });
const share = { name: 'share', label: 'On time', type: 'number' as const, role: 'measure' as const, format: '0.0 %' };
const bars = (count: number): FigureResult => ({
  columns: [group('text'), share],
  rows: Array.from({ length: count }, (_, i) => [`Route ${i}`, i / 100]),
});
const days = (count: number): FigureResult => ({
  columns: [group('date'), share],
  rows: Array.from({ length: count }, (_, i) => [
    new Date(Date.UTC(2026, 7, 3 + i)).toISOString().slice(0, 10),
    i / 100,
  ]),
});
interface Drawn {
  readonly animation: boolean;
  readonly tooltip?: object;
  readonly legend?: object;
  readonly yAxis: {
    readonly data?: string[];
    readonly axisLabel: { readonly interval?: unknown; readonly formatter?: (value: number) => string };
  };
  readonly xAxis: {
    readonly axisLabel: { readonly interval: (index: number) => boolean; readonly formatter: (date: string) => string };
  };
  readonly series: {
    readonly data: { readonly label: { readonly formatter: string } }[];
    readonly symbol?: string;
    readonly label: { readonly show: boolean; readonly formatter: (point: { dataIndex: number }) => string };
  }[];
}
const draw = (figure: BarFigure | LineFigure, result: FigureResult, change: Partial<ChartStyle> = {}) =>
  chartOption(figure, result, look(change)) as unknown as Drawn;

describe('chartOption', () => {
  it("puts the first row on top and labels bars by the measure's format", () => {
    const option = draw(bar, bars(3));
    assert.deepEqual(option.yAxis.data, ['Route 2', 'Route 1', 'Route 0']);
    assert.equal(option.series[0]!.data[0]!.label.formatter, '2.0 %');
  });

  it('drops labels that would not be legible', () => {
    assert.equal(draw(bar, bars(10)).series[0]!.label.show, true);
    assert.equal(draw(bar, bars(60)).series[0]!.label.show, false);
    assert.equal(draw(bar, bars(10)).yAxis.axisLabel.interval, 0);
    assert.equal(draw(bar, bars(60)).yAxis.axisLabel.interval, 'auto');
  });

  it('leaves out what it should, and says the values along the axis then', () => {
    const drawn = chartOption({ ...bar, hide: ['labels'] }, bars(3), look()) as unknown as Drawn & {
      readonly xAxis: { readonly axisLabel: { readonly show: boolean } };
    };
    assert.equal(drawn.series[0]!.label.show, false);
    assert.equal(drawn.xAxis.axisLabel.show, true);
    const two: LineFigure = { ...line, measures: ['share', 'share'], hide: ['legend'] };
    assert.equal((chartOption(two, days(3), look({ isPrint: true })) as unknown as Drawn).legend, undefined);
    const points: ScatterFigure = { ...bar, kind: 'scatter', x: 'share', y: 'share' };
    const axisOf = (hide: ChartPart[]) =>
      (chartOption({ ...points, hide }, bars(3), look()) as unknown as { yAxis: { name?: string } }).yAxis.name;
    assert.deepEqual([axisOf([]), axisOf(['axis titles'])], ['On time', undefined]);
  });

  it('shows fewer dates where there is less room', () => {
    const shown = (width: number) =>
      days(90).rows.filter((_, i) => draw(line, days(90), { width }).xAxis.axisLabel.interval(i)).length;
    assert.ok(shown(280) < shown(900));
    assert.ok(shown(280) >= 2);
    assert.equal(draw(line, days(9)).xAxis.axisLabel.formatter('2026-08-03'), '3 Aug');
  });

  it('gives an axis no more digits than its steps have', () => {
    const format = draw(line, days(9)).yAxis.axisLabel.formatter!;
    assert.deepEqual([0.5, 0.125].map(format), ['50 %', '12.5 %']);
  });

  it('moves and points on a screen, not in print', () => {
    assert.deepEqual([draw(line, days(3)).animation, draw(line, days(3)).tooltip !== undefined], [true, true]);
    assert.deepEqual(
      [draw(line, days(3), { isPrint: true }).animation, draw(line, days(3), { isPrint: true }).tooltip],
      [false, undefined],
    );
  });

  it('names the lines only where there are several', () => {
    const two: FigureResult = {
      columns: [...days(3).columns, { ...share, name: 'other', label: 'Other' }],
      rows: days(3).rows.map((row) => [...row, 1]),
    };
    assert.equal(draw(line, days(3), { isPrint: true }).legend, undefined);
    assert.notEqual(draw({ ...line, measures: ['share', 'other'] }, two, { isPrint: true }).legend, undefined);
    assert.equal(draw({ ...line, measures: ['share', 'other'] }, two).series.length, 2);
  });

  it('follows the theme', () => {
    const colour = (theme: typeof light) =>
      (chartOption(bar, bars(1), look({ theme })) as { color: string[] }).color[0];
    assert.deepEqual([colour(light), colour(dark)], ['#0072B2', '#56B4E9']);
  });
});

describe('chartInWords', () => {
  it('says the extremes of bars and the ends of a line', () => {
    assert.equal(
      chartInWords(bar, bars(3), taste),
      'By route: 3 bars of On time, highest Route 2 with 2.0 %, lowest Route 0 with 0.0 %',
    );
    assert.equal(
      chartInWords(line, days(2), taste),
      'By day: 2 points of a line of On time, from 3 Aug 2026 with 0.0 % to 4 Aug 2026 with 1.0 %, highest 4 Aug 2026 with 1.0 %, lowest 3 Aug 2026 with 0.0 %',
    );
    assert.equal(chartInWords(bar, bars(0), taste), 'By route: no data');
  });
});
