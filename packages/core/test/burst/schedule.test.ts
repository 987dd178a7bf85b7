import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  comparePlan,
  nextRuns,
  periodAt,
  readPeriod,
  type BurstDefinition,
  type PlanEntry,
} from '../../src/burst/index.ts';
import { addDays, readSpan } from '../../src/report/index.ts';
import { refused } from '../refused.ts';

const schedule = {
  rule: 'FREQ=DAILY;BYHOUR=2;BYMINUTE=30',
  start: '2026-03-27T02:30',
  timeZone: 'Europe/Berlin',
} as const;
const at = (text: string) => Date.parse(text);
const iso = (times: readonly number[]) => times.map((one) => new Date(one).toISOString().slice(0, 16));

describe('nextRuns', () => {
  it('loses no day and doubles none where the clock changes', () => {
    assert.deepEqual(iso(nextRuns(schedule, at('2026-03-27T12:00Z'), 3)), [
      '2026-03-28T01:30',
      '2026-03-29T01:30',
      '2026-03-30T00:30',
    ]);
    assert.deepEqual(iso(nextRuns(schedule, at('2026-10-24T12:00Z'), 2)), ['2026-10-25T00:30', '2026-10-26T01:30']);
    const southern = {
      rule: 'FREQ=DAILY;BYHOUR=2;BYMINUTE=30',
      start: '2026-10-01T02:30',
      timeZone: 'Australia/Sydney',
    };
    assert.deepEqual(iso(nextRuns(southern, at('2026-10-02T20:00Z'), 2)), ['2026-10-03T16:30', '2026-10-04T15:30']);
  });

  it('leaves excepted days out, however many', () => {
    const except = ['2026-03-28', '2026-03-29', '2026-03-30'];
    assert.deepEqual(iso(nextRuns({ ...schedule, except }, at('2026-03-27T12:00Z'), 2)), [
      '2026-03-31T00:30',
      '2026-04-01T00:30',
    ]);
    const ended = { ...schedule, rule: `${schedule.rule};COUNT=2`, except: ['2026-03-27', '2026-03-28'] };
    assert.deepEqual(nextRuns(ended, at('2026-03-01T00:00Z'), 5), []);
  });
});

describe('holidays', () => {
  const monthly = { rule: 'FREQ=MONTHLY;BYMONTHDAY=1', start: '2026-01-01T06:00', timeZone: 'Europe/Berlin' } as const;
  const holidays = new Set(['2027-01-01', '2027-01-02', '2027-01-03', '2027-03-01']);
  const runs = (onHoliday: 'skip' | 'next', after: string, count: number) =>
    iso(nextRuns({ ...monthly, onHoliday }, at(after), count, holidays));

  it('have no run, or one on the next day that is none', () => {
    assert.deepEqual(runs('skip', '2026-11-15T00:00Z', 3), [
      '2026-12-01T05:00',
      '2027-02-01T05:00',
      '2027-04-01T04:00',
    ]);
    assert.deepEqual(runs('next', '2026-11-15T00:00Z', 4), [
      '2026-12-01T05:00',
      '2027-01-04T05:00',
      '2027-02-01T05:00',
      '2027-03-02T05:00',
    ]);
  });

  it('are remembered when the next time is asked for in the middle of them, and once only', () => {
    for (const now of ['2026-12-31T12:00Z', '2027-01-01T12:00Z', '2027-01-03T20:00Z', '2027-01-04T04:00Z'])
      assert.deepEqual(runs('next', now, 1), ['2027-01-04T05:00'], now);
    assert.deepEqual(runs('next', '2027-01-04T05:00Z', 1), ['2027-02-01T05:00']);
  });

  it('join the run of the day that they are moved to', () => {
    const daily = { ...schedule, onHoliday: 'next' as const };
    const off = new Set(['2026-03-28', '2026-03-29']);
    assert.deepEqual(iso(nextRuns(daily, at('2026-03-27T12:00Z'), 2, off)), ['2026-03-30T00:30', '2026-03-31T00:30']);
  });

  it('give the same times however they are asked for', (t) => {
    const day = fc.integer({ min: 0, max: 120 }).map((n) => new Date(at('2026-12-01') + n * 86_400_000));
    const text = (one: Date) => one.toISOString().slice(0, 10);
    fc.assert(
      fc.property(
        fc.uniqueArray(day, { maxLength: 12, selector: text }),
        fc.constantFrom('skip', 'next'),
        (off, on) => {
          const one = { ...schedule, rule: 'FREQ=WEEKLY;BYDAY=MO,TH', onHoliday: on as 'skip' | 'next' };
          const days = new Set(off.map(text));
          const all = nextRuns(one, at('2026-12-01T00:00Z'), 8, days);
          let from = at('2026-12-01T00:00Z');
          for (const expected of all) {
            const [next] = nextRuns(one, from, 1, days);
            assert.equal(next, expected);
            assert.ok(!days.has(text(new Date(next! + 3_600_000))), 'it is no holiday');
            from = next!;
          }
        },
      ),
      { numRuns: 30, seed: 2029 },
    );
    t.diagnostic('30 calendars with 8 runs each, seed 2029');
  });
});

describe('periodAt', () => {
  const definition = { schedule, period: { unit: 'month', parameter: 'm' } } as unknown as BurstDefinition;
  it('is the one before the day on the wall clock of the schedule', () => {
    assert.equal(periodAt(definition, at('2026-01-01T00:30Z')), '2025-12');
    // Still the last of the year in UTC, the first in Berlin.
    assert.equal(periodAt(definition, at('2025-12-31T23:30Z')), '2025-12');
    assert.equal(
      periodAt({ ...definition, schedule: { ...schedule, period: 'this' } }, at('2025-12-31T23:30Z')),
      '2026-01',
    );
    const daily = { ...definition, period: { unit: 'day', parameter: 'd' } } as const;
    assert.equal(periodAt(daily, at('2026-03-01T06:00Z')), '2026-02-28');
  });

  it('gives names that are read back, of stretches that join without a gap', (t) => {
    const units = ['day', 'week', 'month', 'quarter', 'year'] as const;
    const instant = fc.integer({ min: Date.UTC(1990, 0, 1), max: Date.UTC(2060, 0, 1) });
    fc.assert(
      fc.property(fc.constantFrom(...units), instant, (unit, now) => {
        const one = { ...definition, period: { unit, parameter: 'm' } };
        const [last, now_] = (['last', 'this'] as const).map((period) => {
          const name = periodAt({ ...one, schedule: { ...schedule, period } }, now)!;
          const { from, to } = readSpan(name, '2000-01-01');
          const read = readPeriod(one, name);
          assert.deepEqual([read.name, read.value], [name, from]);
          return { from, to };
        });
        assert.equal(addDays(last!.to, 1), now_!.from);
      }),
      { numRuns: 400, seed: 44 },
    );
    t.diagnostic('400 instants, seed 44');
  });

  it('is the run itself where a burst says so, to the second', () => {
    const own = { ...definition, period: { unit: 'run' } } as const;
    const name = periodAt(own, at('2026-03-01T06:00Z'))!;
    assert.equal(name, '20260301T060000Z');
    assert.equal(readPeriod(own, name).name, name);
    assert.equal(readPeriod(own, undefined, { at: at('2026-03-01T06:00Z') }).name, name);
    for (const text of ['2026-03', '20260301T066000Z', '20261301T060000Z', 'now'])
      refused('INPUT_INVALID', () => readPeriod(own, text));
  });
});

describe('comparePlan', () => {
  const entry = (recipient: string, rows: number): PlanEntry => ({
    recipient,
    address: 'a@b.example',
    rows,
    files: [{ name: 'x.csv', format: 'csv' }],
    action: 'send',
  });
  const former = (recipient: string, rows: number) => ({
    recipient,
    rows,
    files: [{ format: 'csv' as const, sizeBytes: rows * 10 }],
  });

  it('marks who is new, gone, much longer or much shorter, and weighs the files', () => {
    const found = comparePlan(
      [entry('same', 105), entry('grown', 250), entry('shrunk', 40), entry('few', 9), entry('new', 50)],
      [former('same', 100), former('grown', 100), former('shrunk', 100), former('few', 2), former('gone', 10)],
    );
    assert.deepEqual(
      [...found.entries].map(([, one]) => one.mark),
      [undefined, 'much bigger', 'much smaller', undefined, 'new'],
    );
    assert.deepEqual(found.gone, ['gone']);
    assert.equal(found.bytes, (105 + 250 + 40 + 9 + 50) * 10);
    assert.deepEqual(found.entries.get('grown')?.sizes, [2_500]);
  });

  it('marks nothing where there was no run before', () => {
    assert.equal(comparePlan([entry('a', 5)], []).entries.get('a')?.mark, undefined);
  });
});
