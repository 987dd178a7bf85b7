import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { incompletePeriods } from '../../src/report/incomplete.ts';
import { addDays, spanFrom, startOf } from '../../src/report/span.ts';

type Step = 'week' | 'month' | 'quarter' | 'year';

/** What a database answers for rows on these days. */
function periods(step: Step, days: readonly string[]): string[][] {
  const found = new Map<string, string[]>();
  for (const day of [...days].sort()) {
    const start = startOf(day, step);
    found.set(start, [...(found.get(start) ?? []), day]);
  }
  return [...found].map(([start, own]) => [start, own[0]!, own.at(-1)!]);
}
const everyDay = (from: string, to: string, isKept: (day: string, i: number) => boolean = () => true): string[] => {
  const days: string[] = [];
  for (let day = from, i = 0; day <= to; day = addDays(day, 1), i++) if (isKept(day, i)) days.push(day);
  return days;
};
const weekday = (day: string) => new Date(`${day}T00:00:00Z`).getUTCDay();
const incomplete = (step: Step, days: readonly string[]) => incompletePeriods(step, periods(step, days));

describe('incomplete periods', () => {
  it('are those at the ends that rows begin or end within', () => {
    assert.deepEqual(incomplete('month', everyDay('2026-08-03', '2026-11-30')), [], 'two days are a weekend');
    assert.deepEqual(incomplete('month', everyDay('2026-08-12', '2026-11-30')), ['2026-08-01']);
    assert.deepEqual(incomplete('month', everyDay('2026-08-01', '2026-11-24')), ['2026-11-01']);
    assert.deepEqual(incomplete('month', everyDay('2026-08-12', '2026-11-24')), ['2026-08-01', '2026-11-01']);
    assert.deepEqual(incomplete('week', everyDay('2026-11-04', '2026-11-29')), ['2026-11-02']);
    assert.deepEqual(incomplete('quarter', everyDay('2025-11-01', '2026-09-30')), ['2025-10-01']);
    assert.deepEqual(incomplete('year', everyDay('2023-01-01', '2026-11-30')), ['2026-01-01']);
    assert.deepEqual(incomplete('month', everyDay('2026-10-20', '2026-11-05')), ['2026-10-01', '2026-11-01']);
  });

  it('are none where days are missing in every period', () => {
    const isOpen = (day: string) => weekday(day) > 0 && weekday(day) < 6;
    assert.deepEqual(incomplete('week', everyDay('2026-09-07', '2026-11-27', isOpen)), [], 'no weekends');
    assert.deepEqual(
      incomplete('week', everyDay('2026-09-07', '2026-11-25', isOpen)),
      ['2026-11-23'],
      'until Wednesday',
    );
    assert.deepEqual(incomplete('month', everyDay('2026-01-01', '2026-11-30', isOpen)), []);
    const isFirst = (day: string) => day.endsWith('-01');
    assert.deepEqual(incomplete('month', everyDay('2026-01-01', '2026-11-01', isFirst)), [], 'gathered already');
    assert.deepEqual(
      incomplete(
        'month',
        everyDay('2026-01-01', '2026-11-01', (_, i) => i % 23 === 0),
      ),
      [],
      'too few',
    );
  });

  it('cannot be told of a single period, of none, nor of rows without a date', () => {
    assert.deepEqual(incomplete('month', everyDay('2026-11-05', '2026-11-20')), []);
    assert.deepEqual(incompletePeriods('month', []), []);
    assert.deepEqual(incompletePeriods('month', [[null, null, null]]), []);
  });

  it('are never those between, and never any where every day is there', (t) => {
    const day = fc.integer({ min: 0, max: 2_000 }).map((i) => addDays('2021-01-01', i));
    const step = fc.constantFrom<Step>('week', 'month', 'quarter', 'year');
    let marked = 0;
    fc.assert(
      fc.property(
        step,
        day,
        fc.integer({ min: 1, max: 900 }),
        fc.infiniteStream(fc.nat(9)),
        (one, from, count, dice) => {
          const to = addDays(from, count);
          const whole = spanFrom(startOf(to, one), one).to;
          assert.deepEqual(incomplete(one, everyDay(startOf(from, one), whole)), []);
          const some = periods(
            one,
            everyDay(from, to, () => dice.next().value! > 1),
          );
          const found = incompletePeriods(one, some);
          const ends = [some[0]?.[0], some.at(-1)?.[0]];
          for (const start of found) assert.ok(ends.includes(start), `${start} lies between`);
          // In whatever order they come.
          assert.deepEqual(incompletePeriods(one, [...some].reverse()), found);
          marked += found.length;
        },
      ),
      { seed: 34, numRuns: 300 },
    );
    assert.ok(marked > 100, `${marked} marked`);
    t.diagnostic(`300 stretches, ${marked} incomplete periods, seed 34`);
  });
});
