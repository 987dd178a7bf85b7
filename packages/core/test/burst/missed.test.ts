import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { decideDue, type BurstDefinition } from '../../src/burst/index.ts';

const hour = 3_600_000;
const day = 24 * hour;
const at = Date.parse('2026-10-05T07:00:00Z');

const burst = (unit: 'day' | 'month' | 'run' | undefined, missed?: 'skip'): BurstDefinition =>
  ({
    ...(unit === undefined ? {} : { period: { unit, parameter: 'period' } }),
    schedule: {
      rule: 'FREQ=DAILY;BYHOUR=7',
      start: '2026-10-01T07:00',
      timeZone: 'UTC',
      ...(missed ? { missed } : {}),
    },
  }) as unknown as BurstDefinition;

describe('starts of a burst that are due', () => {
  const days = [0, 1, 2, 3].map((days) => at + days * day);
  const outcomes = (definition: BurstDefinition, now = days[3]! + 1_000) =>
    decideDue(definition, days, now).map((one) => one.outcome);

  it('each start about the period of its own; the one that is on time is not missed', () => {
    assert.deepEqual(outcomes(burst('day')), ['started late', 'started late', 'started late', 'started']);
    assert.deepEqual(
      decideDue(burst('day'), days, days[3]!).map((one) => one.period),
      ['2026-10-04', '2026-10-05', '2026-10-06', '2026-10-07'],
    );
  });

  it('are covered by the last one where all are about the same rows', () => {
    for (const unit of ['month', 'run', undefined] as const)
      assert.deepEqual(outcomes(burst(unit)), ['covered', 'covered', 'covered', 'started'], unit);
    assert.deepEqual(outcomes(burst('month'), days[3]! + 2 * hour), ['covered', 'covered', 'covered', 'started late']);
  });

  it('are skipped where the schedule says so, but for the one that is on time', () => {
    assert.deepEqual(outcomes(burst('day', 'skip')), ['skipped', 'skipped', 'skipped', 'started']);
    assert.deepEqual(outcomes(burst('month', 'skip'), days[3]! + 2 * hour), Array(4).fill('skipped'));
  });
});
