import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import {
  effectiveFilterOf,
  figureInView,
  selectionText,
  ownFilterText,
  viewingBefore,
  type Viewing,
} from '../../src/access/index.ts';
import { explainInWords } from '../../src/filter/index.ts';
import { readParameters, type BarFigure } from '../../src/report/index.ts';
import { aPerson, aReport, aRule, moment, sailings } from '../builders.ts';
import { refused } from '../refused.ts';

const bar: BarFigure = {
  kind: 'bar',
  name: 'by-route',
  title: 'By route',
  by: 'route',
  measure: 'passengers',
  drill: ['quay_id'],
  at: { column: 1, row: 1, width: 6, height: 4 },
};
const report = aReport({
  parameters: [
    { name: 'period', type: 'date', column: 'sailed_on', period: true, default: 'last month' },
    { name: 'route', type: 'text', column: 'route', many: true },
  ],
  pages: [
    {
      name: 'overview',
      title: 'Overview',
      figures: [
        bar,
        { ...bar, kind: 'line', name: 'by-week', by: 'sailed_on', step: 'week', measures: ['passengers'] } as never,
      ],
    },
  ],
});
const chosen = readParameters(report, { route: ['R1', 'R2'] }, { today: moment.today });
const viewing = (change: Partial<Viewing> = {}): Viewing => ({
  report,
  page: report.pages[0]!,
  viewer: aPerson(),
  rules: [aRule()],
  masks: [],
  moment: { ...moment, timeZone: 'UTC' },
  fixed: [],
  chosen,
  choices: [],
  ...change,
});
const words = (change: Partial<Viewing> = {}, figure?: BarFigure) =>
  effectiveFilterOf(viewing(change), sailings, figure)
    .explain()
    .map((one) => one.words);

describe('a viewing', () => {
  it('is limited by periods and by several values, beside its rules', () => {
    assert.deepEqual(words(), [
      'quay is Q017',
      'sailed on is between 1 October 2026 and 31 October 2026',
      'route is one of R1, R2',
    ]);
  });

  it('gives filters the ends of a period', () => {
    const where = "sailed_on >= param('period.from') AND sailed_on <= param('period.to')";
    const { where: node } = effectiveFilterOf(
      viewing({ chosen: chosen.slice(0, 1), report: { ...report, where } }),
      sailings,
    );
    assert.match(explainInWords(node), /on or after 1 October 2026 and sailed on or before 31 October 2026/);
  });

  it('drills in one figure alone, under every rule', () => {
    const drills = [{ figure: 'by-route', values: ['R1'] }];
    assert.equal(figureInView(viewing({ drills }), bar).by, 'quay_id');
    assert.ok(words({ drills }, bar).includes('route is R1'));
    assert.ok(words({ drills }, bar).includes('quay is Q017'));
    assert.ok(!words({ drills }).includes('route is R1'));
    refused('FIGURE_UNKNOWN', () => words({ drills: [{ figure: 'by-route', values: ['R1', 'Q1', 'x'] }] }, bar));
  });

  it('takes a mark of a drilled figure for what it shows then', () => {
    const change = {
      drills: [{ figure: 'by-route', values: ['R1'] }],
      choices: [{ figure: 'by-route', values: ['Q017'] }],
    };
    assert.equal(
      ownFilterText(viewing(change), () => sailings),
      "quay_id = 'Q017'",
    );
  });
});

describe('viewingBefore', () => {
  const moved = (...wish: Parameters<typeof viewingBefore>) => {
    const found = viewingBefore(...wish);
    assert.ok(typeof found === 'object', String(found));
    return found;
  };

  it('moves the period that the reader chose, and nothing else', () => {
    const earlier = moved(viewing(), sailings, 'period before', 'en-GB');
    assert.equal(earlier.words, 'September 2026');
    const found = effectiveFilterOf(earlier.viewing, sailings)
      .explain()
      .map((one) => one.words);
    assert.deepEqual(found, [
      'quay is Q017',
      'sailed on is between 1 September 2026 and 30 September 2026',
      'route is one of R1, R2',
    ]);
  });

  it('never moves a period that a token or a placement fixes, and says so', () => {
    for (const origin of ['token', 'placement'] as const) {
      const fixed = [{ ...chosen[0]!, origin, by: 'x' }];
      assert.equal(
        viewingBefore(viewing({ fixed, chosen: [] }), sailings, 'period before', 'en-GB'),
        'not compared: the period is fixed',
        origin,
      );
      // Even beside a narrower one of the reader's own, the fixed limit stays.
      const own = readParameters(report, { period: '2026-10-05' }, { today: moment.today });
      const both = moved(viewing({ fixed, chosen: own }), sailings, 'year before', 'en-GB');
      const found = effectiveFilterOf(both.viewing, sailings)
        .explain()
        .map((one) => one.words);
      assert.ok(found.includes('sailed on is between 1 October 2026 and 31 October 2026'), origin);
    }
    const none = viewingBefore(viewing({ chosen: [] }), sailings, 'period before', 'en-GB');
    assert.equal(none, 'not compared: no period is selected');
  });

  it('moves the period that a burst is about, and its words', () => {
    const fixed = [{ ...chosen[0]!, origin: 'burst' as const, by: 'x', words: 'period is October 2026' }];
    const earlier = moved(viewing({ fixed, chosen: [] }), sailings, 'year before', 'en-GB');
    const found = effectiveFilterOf(earlier.viewing, sailings).explain();
    assert.ok(found.some((one) => one.words === 'sailed on is between 1 October 2025 and 31 October 2025'));
  });
});

describe('selectionText', () => {
  const column = (name: string) => sailings.columns.find((one) => one.name === name)!;
  for (const [name, raw, text] of [
    ['route', ["O'Brien's"], "route = 'O''Brien''s'"],
    ['route', ['a', 'b'], "route IN ('a', 'b')"],
    ['route', ['–'], "(route IS NULL OR route = '–')"],
    ['passengers', ['–', '3'], '(passengers IS NULL OR passengers = 3)'],
    ['cancelled', ['true'], 'cancelled = TRUE'],
    ['sailed_on', ['2026-10-05'], "sailed_on = DATE('2026-10-05')"],
  ] as const)
    it(`says ${text}`, () => assert.equal(selectionText(column(name), undefined, raw), text));

  it('says a step of dates as a stretch', () => {
    assert.equal(
      selectionText(column('sailed_on'), 'month', ['2026-02-01']),
      "sailed_on BETWEEN DATE('2026-02-01') AND DATE('2026-02-28')",
    );
  });

  it('refuses what is no value of its column', () => {
    refused('VALUE_INVALID', () => selectionText(column('passengers'), undefined, ['1 OR TRUE']));
    refused('VALUE_INVALID', () => selectionText(column('sailed_on'), 'week', ['monday']));
  });
});
