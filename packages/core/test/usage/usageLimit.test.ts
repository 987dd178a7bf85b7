import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { costState, usageText, readCostLimit, startOfCounting } from '../../src/usage/index.ts';
import { refused } from '../refused.ts';

const limit = { folder: 'harbour', per: 'day', warnSeconds: 60, stopSeconds: 90 } as const;

describe('readCostLimit', () => {
  it('takes a warning, a stop, or both', () => {
    assert.deepEqual(readCostLimit(limit), limit);
    assert.deepEqual(readCostLimit({ folder: 'a', per: 'month', stopSeconds: 5 }), {
      folder: 'a',
      per: 'month',
      stopSeconds: 5,
    });
  });

  it('refuses what could never do anything', () => {
    for (const wrong of [
      { folder: 'a', per: 'day' },
      { ...limit, warnSeconds: 90 },
      { ...limit, stopSeconds: 0 },
      { ...limit, per: 'week' },
      { ...limit, warn: 5 },
    ])
      refused('INPUT_INVALID', () => readCostLimit(wrong));
  });
});

describe('costState', () => {
  it('counts from the very second on', () => {
    const at = (usedSeconds: number) => costState({ ...limit, usedSeconds });
    assert.deepEqual([0, 59.9, 60, 89.9, 90, 1000].map(at), ['fine', 'fine', 'warned', 'warned', 'stopped', 'stopped']);
    assert.equal(costState({ folder: 'a', per: 'day', warnSeconds: 5, usedSeconds: 1e6 }), 'warned');
  });

  it('is said with what is left out of the limits', () => {
    assert.equal(usageText({ ...limit, usedSeconds: 70.4 }), 'used 70 of 90 s of computing today');
    const monthly = { folder: 'a', per: 'month', warnSeconds: 5, usedSeconds: 2 } as const;
    assert.equal(usageText(monthly), 'used 2 of 5 s of computing this month');
  });
});

describe('startOfCounting', () => {
  it('is a day of the time zone', () => {
    const at = Date.parse('2026-10-31T23:30:00Z');
    assert.equal(startOfCounting('day', at, 'UTC'), '2026-10-31');
    assert.equal(startOfCounting('day', at, 'Europe/Berlin'), '2026-11-01');
    assert.equal(startOfCounting('month', at, 'UTC'), '2026-10-01');
    assert.equal(startOfCounting('month', at, 'Europe/Berlin'), '2026-11-01');
  });
});
