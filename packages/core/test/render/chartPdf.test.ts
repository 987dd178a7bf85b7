import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { drawChart } from '../../src/render/chartPdf.ts';
import { chartSvg } from '../../src/render/chartSvg.ts';
import type { PdfPen } from '../../src/render/pdfPen.ts';
import type { BarFigure, ChartFigure, FigureResult, LineFigure, ScatterFigure } from '../../src/report/index.ts';
import { light } from '../../src/theme/index.ts';

const taste = { locale: 'en-GB', timeZone: 'UTC' };
const look = { theme: light, taste, width: 640, height: 320 };
const at = { column: 1, row: 1, width: 6, height: 6 };
const measure = (name: string) => ({ name, label: name, type: 'number', role: 'measure' }) as const;
const text = (name: string) => ({ name, label: name, type: 'text', role: 'group' }) as const;

const bar: BarFigure = { kind: 'bar', name: 'bars', title: 'Bars', by: 'route', measure: 'fares', at };
const bars: FigureResult = {
  columns: [text('route'), measure('fares')],
  rows: [
    ['Ostle – Zoë', 1200],
    ['Κέλνταν', -150],
    ['Grimsa', 88.5],
  ],
  lines: [{ label: 'Wanted', value: 900 }],
};
const line: LineFigure = { kind: 'line', name: 'days', title: 'Days', by: 'day', measures: ['share', 'late'], at };
const days: FigureResult = {
  columns: [{ name: 'day', label: 'Day', type: 'date', role: 'group' }, measure('share'), measure('late')],
  rows: Array.from({ length: 14 }, (_, i) => [
    `2026-10-${String(i + 1).padStart(2, '0')}`,
    (i * 7) % 5,
    i === 6 ? null : i,
  ]),
  lines: [{ label: 'At most', value: 11 }],
};
const scatter: ScatterFigure = { kind: 'scatter', name: 'dots', title: 'Dots', by: 'route', x: 'x', y: 'y', at };
const dots: FigureResult = {
  columns: [text('route'), measure('x'), measure('y')],
  rows: Array.from({ length: 12 }, (_, i) => [`R${i}`, i * 3, (i * 11) % 17]),
};

interface Drawn {
  readonly texts: readonly string[];
  /** Ends of every line and curve, on the sheet. */
  readonly points: readonly (readonly [number, number])[];
  readonly painted: number;
  readonly clips: number;
  readonly dashes: number;
}

/** A document that keeps what is drawn into it. */
function drawn(figure: ChartFigure, result: FigureResult): Drawn {
  const texts: string[] = [];
  const points: [number, number][] = [];
  const counts = { painted: 0, clips: 0, dashes: 0 };
  let matrix = [1, 0, 0, 1, 0, 0];
  const saved: number[][] = [];
  const point = (x: number, y: number) => {
    const [a, b, c, d, e, f] = matrix as [number, number, number, number, number, number];
    points.push([a * x + c * y + e, b * x + d * y + f]);
  };
  const calls: Record<string, (...values: number[]) => void> = {
    save: () => saved.push(matrix),
    restore: () => (matrix = saved.pop()!),
    transform: (a, b, c, d, e, f) => {
      const [ma, mb, mc, md, me, mf] = matrix as [number, number, number, number, number, number];
      matrix = [
        ma * a! + mc * b!,
        mb * a! + md * b!,
        ma * c! + mc * d!,
        mb * c! + md * d!,
        ma * e! + mc * f! + me,
        mb * e! + md * f! + mf,
      ];
    },
    moveTo: (x, y) => point(x!, y!),
    lineTo: (x, y) => point(x!, y!),
    bezierCurveTo: (...all) => point(all[4]!, all[5]!),
    quadraticCurveTo: (...all) => point(all[2]!, all[3]!),
    rect: (x, y, width, height) => {
      point(x!, y!);
      point(x! + width!, y! + height!);
    },
    fill: () => counts.painted++,
    stroke: () => counts.painted++,
    fillAndStroke: () => counts.painted++,
    clip: () => counts.clips++,
    dash: () => counts.dashes++,
  };
  const doc: object = new Proxy(calls, {
    get:
      (_, name: string) =>
      (...values: number[]) => {
        calls[name]?.(...values);
        return doc;
      },
  });
  drawChart(doc as never, { line: (shown: string) => texts.push(shown) } as unknown as PdfPen, figure, result, look);
  assert.equal(saved.length, 0, 'what is saved is restored');
  return { texts, points, ...counts };
}

const unescape = (shown: string) =>
  shown.replace(/&(amp|lt|gt);/g, (_, name: 'amp' | 'lt' | 'gt') => ({ amp: '&', lt: '<', gt: '>' })[name]);
const shapes = /<(?:path|rect|circle|polyline|polygon) [^>]*>/g;
const isSeen = (element: string) =>
  !/fill="(none|transparent)"|fill-opacity="0"/.test(element) ||
  (/stroke="(?!none)/.test(element) && !/stroke-width="0"/.test(element));

describe('a chart on paper', () => {
  const cases: readonly (readonly [string, ChartFigure, FigureResult])[] = [
    ['bars beside each other, with a reference line', bar, bars],
    ['lines with a gap and a reference line', line, days],
    ['areas', { ...line, kind: 'area' } as ChartFigure, days],
    ['points', scatter, dots],
  ];
  for (const [words, figure, result] of cases)
    it(`says and shows what the same chart as SVG does: ${words}`, () => {
      const svg = chartSvg(figure, result, look);
      const { texts, points, painted: count, dashes } = drawn(figure, result);
      assert.deepEqual(
        texts,
        [...svg.matchAll(/<text [^>]*>([^<]*)<\/text>/g)].map((one) => unescape(one[1]!)),
      );
      const marks = svg
        .replace(/<clipPath.*?<\/clipPath>/gs, '')
        .match(shapes)!
        .filter(isSeen);
      assert.equal(count, marks.length);
      assert.ok(count > 3);
      assert.equal(dashes > 0, result.lines !== undefined);
      for (const [x, y] of points)
        assert.ok(x >= -6 && x <= look.width + 6 && y >= -6 && y <= look.height + 6, `${x}, ${y} is on the sheet`);
    });

  it('draws round points round: each end of a curve lies on the circle', () => {
    const { points } = drawn(scatter, { ...dots, rows: [['one', 5, 5]] });
    const [centreX, centreY] = points
      .slice(-5, -1)
      .reduce<[number, number]>(([x, y], one) => [x + one[0] / 4, y + one[1] / 4], [0, 0]);
    const radii = points.slice(-5).map(([x, y]) => Math.hypot(x - centreX, y - centreY));
    for (const radius of radii) assert.ok(Math.abs(radius - radii[0]!) < 1e-6 && radius > 1, radii.join(', '));
  });

  it('refuses a colour that is none', () => {
    const broken = { ...light, series: ['no colour'] } as unknown as typeof light;
    assert.throws(
      () =>
        drawChart(new Proxy({}, { get: () => () => undefined }) as never, {} as PdfPen, bar, bars, {
          ...look,
          theme: broken,
        }),
      TypeError,
    );
  });
});
