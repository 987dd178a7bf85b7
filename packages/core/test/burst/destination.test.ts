import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  folderPath,
  leastMs,
  lookAgainMs,
  rateWords,
  readBurst,
  readRate,
  waitFor,
  type Rate,
} from '../../src/burst/index.ts';
import { casesOf } from '../cases.ts';
import { refused } from '../refused.ts';

describe('limits of a destination', () => {
  it('are read as they are said', () => {
    const cases: [string, Rate][] = [
      ['3 per 10 s', { copies: 3, seconds: 10 }],
      ['1600 per day', { copies: 1600, seconds: 86_400 }],
      [' 20  per 2 Minutes ', { copies: 20, seconds: 120 }],
      ['1 per 31 d', { copies: 1, seconds: 31 * 86_400 }],
    ];
    for (const [text, rate] of cases) assert.deepEqual(readRate(text), rate, text);
    for (const text of [
      '',
      'many',
      '0 per day',
      '3 per 10',
      '3 per 10 fortnights',
      '3 per 32 days',
      '-1 per s',
      '3/10s',
      '1.5 per s',
    ])
      refused('INPUT_INVALID', () => readRate(text));
  });

  it('say themselves in words that are read the same', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 99_999 }), fc.integer({ min: 1, max: 2_678_400 }), (copies, seconds) => {
        assert.deepEqual(readRate(rateWords({ copies, seconds })), { copies, seconds });
      }),
      casesOf(300, 11),
    );
  });

  it('never let a stretch of time hold more copies than they allow, nor wait longer than they must', () => {
    const rates = fc.array(
      fc.record({ copies: fc.integer({ min: 1, max: 6 }), seconds: fc.integer({ min: 1, max: 20 }) }),
      {
        minLength: 1,
        maxLength: 3,
      },
    );
    fc.assert(
      fc.property(rates, fc.array(fc.integer({ min: 0, max: 4_000 }), { maxLength: 40 }), (limits, pauses) => {
        const left: number[] = [];
        let now = 0;
        for (const pause of pauses) {
          now += pause;
          const newest = limits.map(({ copies }) => left.at(-copies));
          const wait = waitFor(limits, newest, now);
          if (wait > 0) {
            // One instant earlier would have been too early for one of them.
            const tooEarly = now + wait - 1;
            assert.ok(
              limits.some(
                ({ copies, seconds }) => left.filter((at) => at > tooEarly - seconds * 1_000).length >= copies,
              ),
              'it waits for a reason',
            );
          }
          now += wait;
          left.push(now);
        }
        for (const { copies, seconds } of limits)
          left.forEach((at, i) => {
            const later = left[i + copies];
            assert.ok(
              later === undefined || later - at >= seconds * 1_000,
              `${copies + 1} copies in ${later! - at} ms`,
            );
          });
      }),
      casesOf(500, 7),
    );
  });

  it('tell how long a run takes at least, and how long to look away', () => {
    assert.equal(leastMs([], 500), 0);
    assert.equal(leastMs([{ copies: 3, seconds: 10 }], 3), 0);
    assert.equal(leastMs([{ copies: 3, seconds: 10 }], 265), 880_000);
    assert.deepEqual([0, 1, 2, 5, 50].map(lookAgainMs), [15_000, 30_000, 60_000, 300_000, 300_000]);
  });
});

describe('folders below a destination', () => {
  it('are filled segment by segment: no value leads out or deeper', () => {
    assert.deepEqual(folderPath('{a}/{b} x', { a: '../..', b: 'c/d\\e' }), ['-', 'c-d-e x']);
    assert.deepEqual(folderPath('/x//../{a}/', { a: '' }), ['x', 'copy-', 'copy-']);
    assert.deepEqual(folderPath(undefined, {}), []);
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (value) => {
        for (const segment of folderPath('{v}/{v}', { v: value }))
          assert.ok(
            segment !== '' && segment !== '.' && segment !== '..' && !/[/\\\u0000]/.test(segment),
            JSON.stringify(segment),
          );
      }),
      casesOf(500, 3),
    );
  });
});

describe('readBurst', () => {
  const base = {
    format: 'underbell-burst/1',
    name: 'b',
    title: 'B',
    report: 'r',
    list: 'l',
    bind: { quay: 'quay' },
    formats: ['csv'],
    fileName: 'x',
    destination: { kind: 'library', to: 'files', folder: '{quay}' },
  };
  it('knows what each kind of destination takes, and nothing else', () => {
    assert.equal(readBurst(base).destination.kind, 'library');
    const wrong: [object, string][] = [
      [{ destination: { kind: 'pigeon' } }, '/destination/kind'],
      [{ destination: { kind: 'library' } }, '/destination/to'],
      [{ destination: { kind: 'webhook', to: 'x', folder: 'y' } }, '/destination/folder'],
      [{ destination: { kind: 'mail', subject: 's' } }, '/destination/message'],
      [{ empty: 'note' }, '/empty'],
      [{ formats: ['template'] }, '/template'],
      [{ template: 'book' }, '/formats'],
    ];
    for (const [change, at] of wrong) {
      const { details } = refused('BURST_INVALID', () => readBurst({ ...base, ...change }));
      assert.equal(details.pointer ?? details.problems?.[0]?.at, at);
    }
  });
});
