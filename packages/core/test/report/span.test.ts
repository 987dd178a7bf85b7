import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { addDays, addMonths, readSpan, spanBefore, spanFrom, spanWords, startOf } from '../../src/report/index.ts';
import { refused } from '../refused.ts';
import { moment } from '../builders.ts';

const { today } = moment; // Monday, 23 November 2026
const day = fc.integer({ min: 0, max: 40_000 }).map((days) => addDays('1990-01-01', days));

describe('readSpan', () => {
  for (const [text, from, to] of [
    ['2026', '2026-01-01', '2026-12-31'],
    ['2026-10', '2026-10-01', '2026-10-31'],
    ['2028-02', '2028-02-01', '2028-02-29'],
    ['2026-Q4', '2026-10-01', '2026-12-31'],
    ['2026-W01', '2025-12-29', '2026-01-04'],
    ['2026-W53', '2026-12-28', '2027-01-03'],
    ['2026-10-05', '2026-10-05', '2026-10-05'],
    ['2026-09-14/2026-09-20', '2026-09-14', '2026-09-20'],
    ['today', today, today],
    ['Yesterday', '2026-11-22', '2026-11-22'],
    ['this week', '2026-11-23', '2026-11-29'],
    ['last week', '2026-11-16', '2026-11-22'],
    ['last  month', '2026-10-01', '2026-10-31'],
    ['last quarter', '2026-07-01', '2026-09-30'],
    ['last year', '2025-01-01', '2025-12-31'],
    ['last 7 days', '2026-11-16', '2026-11-22'],
    ['last 3 months', '2026-08-01', '2026-10-31'],
    ['year to date', '2026-01-01', today],
  ] as const) {
    it(`reads \`${text}\``, () => assert.deepEqual(readSpan(text, today), { from, to }));
  }

  for (const text of [
    '',
    'October',
    '2026-13',
    '2026-Q5',
    '2025-W53',
    '2026-02-30',
    '2026-10-31/2026-10-01',
    'last 0 days',
    'next month',
    "2026' OR 1=1",
  ]) {
    it(`refuses \`${text}\``, () => void refused('VALUE_INVALID', () => readSpan(text, today)));
  }
});

describe('spanBefore', () => {
  it('keeps whole months whole', () => {
    assert.deepEqual(spanBefore({ from: '2026-03-01', to: '2026-03-31' }, 'period before'), {
      from: '2026-02-01',
      to: '2026-02-28',
    });
    assert.deepEqual(spanBefore({ from: '2026-01-01', to: '2026-12-31' }, 'period before'), {
      from: '2025-01-01',
      to: '2025-12-31',
    });
    assert.deepEqual(spanBefore({ from: '2028-02-01', to: '2028-02-29' }, 'year before'), {
      from: '2027-02-01',
      to: '2027-02-28',
    });
  });

  it('ends the day before, and is as long, whatever the span', () => {
    fc.assert(
      fc.property(day, fc.integer({ min: 0, max: 400 }), (from, length) => {
        const span = { from, to: addDays(from, length) };
        const before = spanBefore(span, 'period before');
        assert.equal(addDays(before.to, 1), span.from);
        const days = (one: typeof span) => (Date.parse(one.to) - Date.parse(one.from)) / 86_400_000;
        // Months are not equally long.
        assert.ok(Math.abs(days(before) - days(span)) <= (before.from.endsWith('-01') ? 4 : 0));
      }),
      { seed: 91, numRuns: 500 },
    );
  });
});

describe('steps of dates', () => {
  it('begin where their stretch begins, and every day lies in its own', () => {
    fc.assert(
      fc.property(day, fc.constantFrom('day', 'week', 'month', 'quarter', 'year'), (date, unit) => {
        const start = startOf(date, unit as 'day');
        const { to } = spanFrom(start, unit as 'day');
        assert.ok(start <= date && date <= to);
        assert.equal(startOf(to, unit as 'day'), start);
        assert.equal(startOf(addDays(to, 1), unit as 'day'), addDays(to, 1));
      }),
      { seed: 92, numRuns: 500 },
    );
  });

  it('of months stay in their month', () => {
    assert.equal(addMonths('2026-01-31', 1), '2026-02-28');
    assert.equal(addMonths('2024-02-29', 12), '2025-02-28');
    assert.equal(addMonths('2026-03-15', -15), '2024-12-15');
  });
});

describe('spanWords', () => {
  it('says months and years as such, other stretches by their ends', () => {
    assert.equal(spanWords({ from: '2026-10-01', to: '2026-10-31' }, 'en-GB'), 'October 2026');
    assert.equal(spanWords({ from: '2026-01-01', to: '2026-12-31' }, 'en-GB'), '2026');
    assert.match(spanWords({ from: '2026-09-14', to: '2026-09-20' }, 'en-GB'), /14\s*.\s*20 Sept? 2026/);
    assert.equal(spanWords({ from: '2026-10-01', to: '2026-10-31' }, 'de'), 'Oktober 2026');
  });
});
