import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { checkRecurrence, nextInstants, recurrenceWords } from '../../src/schedule/index.ts';
import { refused } from '../refused.ts';

const berlin = { rule: 'FREQ=DAILY;BYHOUR=2;BYMINUTE=30', start: '2026-03-01T02:30', timeZone: 'Europe/Berlin' };
const next = (recurrence: typeof berlin, after: string, count = 3) =>
  nextInstants(recurrence, Date.parse(after), count).map((one) => new Date(one).toISOString().slice(0, 16));

describe('nextInstants', () => {
  it('moves a time that the clock skips forward, and loses no day', () => {
    assert.deepEqual(next(berlin, '2026-03-28T00:00Z'), ['2026-03-28T01:30', '2026-03-29T01:30', '2026-03-30T00:30']);
  });

  it('takes a time that comes twice once, the first', () => {
    assert.deepEqual(next(berlin, '2026-10-24T12:00Z'), ['2026-10-25T00:30', '2026-10-26T01:30', '2026-10-27T01:30']);
    assert.deepEqual(next(berlin, '2026-10-25T00:30Z', 1), ['2026-10-26T01:30']);
  });

  it('counts on from the bound, however far from the start', () => {
    const rule = { ...berlin, rule: 'FREQ=WEEKLY;BYDAY=MO,FR;BYHOUR=6;BYMINUTE=0' };
    assert.deepEqual(next(rule, '2031-05-06T00:00Z', 2), ['2031-05-09T04:00', '2031-05-12T04:00']);
  });

  it('ends with its count', () => {
    assert.deepEqual(next({ ...berlin, rule: 'FREQ=DAILY;COUNT=2' }, '2026-01-01T00:00Z', 9).length, 2);
    assert.deepEqual(next({ ...berlin, rule: 'FREQ=DAILY;COUNT=2' }, '2027-01-01T00:00Z'), []);
  });
});

describe('checkRecurrence', () => {
  for (const [what, change, code] of [
    ['a word that is none', { rule: 'every day' }, 'SCHEDULE_INVALID'],
    ['a rule by the second', { rule: 'FREQ=SECONDLY' }, 'SCHEDULE_INVALID'],
    ['another line smuggled in', { rule: 'FREQ=DAILY\nEXDATE:20260101T000000' }, 'SCHEDULE_INVALID'],
    ['a start that is no time', { start: 'tomorrow' }, 'SCHEDULE_INVALID'],
    ['a zone that is none', { timeZone: 'Mars/Base' }, 'SCHEDULE_INVALID'],
    ['a day that never comes', { rule: 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30' }, 'SCHEDULE_NEVER'],
  ] as const) {
    it(`refuses ${what}`, () => void refused(code, () => checkRecurrence({ ...berlin, ...change })));
  }
});

describe('an end', () => {
  const until = (end: string) =>
    next({ ...berlin, rule: `FREQ=DAILY;BYHOUR=2;BYMINUTE=30;UNTIL=${end}` }, '2026-06-01T00:00Z', 9);
  it('is an instant where it says so, the wall clock of its zone where not, and a day to its end', () => {
    // 02:30 in Berlin is 00:30 in UTC in summer.
    assert.equal(until('20260603T003000Z').length, 3);
    assert.equal(until('20260603T002959Z').length, 2);
    assert.equal(until('20260603T023000').length, 3);
    assert.equal(until('20260603T022959').length, 2);
    assert.equal(until('20260603').length, 3);
  });

  it('and every number are refused where they are none', () => {
    const wrong = [
      'UNTIL=20260631',
      'UNTIL=2026',
      'UNTIL=20260603T250000Z',
      'BYHOUR=24',
      'BYMINUTE=60',
      'BYMONTHDAY=0',
      'BYMONTHDAY=32',
      'BYMONTH=13',
      'INTERVAL=0',
      'COUNT=0',
      'BYDAY=XX',
      'BYDAY=0MO',
      'BYDAY=54MO',
      'BYSETPOS=0',
      'WKST=1',
      'COUNT=2;UNTIL=20260603',
      'BYHOUR=1;BYHOUR=2',
      'BYHOUR=1,,2',
      'BYWEEKNO=54',
    ];
    for (const part of wrong)
      refused('SCHEDULE_INVALID', () => checkRecurrence({ ...berlin, rule: `FREQ=DAILY;${part}` }));
  });
});

describe('recurrenceWords', () => {
  it('says the usual rules, and shows the others as they are', () => {
    assert.equal(
      recurrenceWords({ ...berlin, rule: 'FREQ=DAILY;BYHOUR=6,18;BYMINUTE=0' }),
      'every day at 06:00 and 18:00 (Europe/Berlin)',
    );
    assert.equal(
      recurrenceWords({ ...berlin, rule: 'FREQ=WEEKLY;BYDAY=MO,TU' }),
      'every week on Monday and Tuesday at 02:30 (Europe/Berlin)',
    );
    assert.equal(
      recurrenceWords({ ...berlin, rule: 'FREQ=DAILY;BYHOUR=18,6;BYMINUTE=35,5' }),
      'every day at 06:05, 06:35, 18:05 and 18:35 (Europe/Berlin)',
    );
    assert.equal(
      recurrenceWords({ ...berlin, rule: 'FREQ=HOURLY;BYMINUTE=7,37' }),
      'every hour at minutes 07 and 37 (Europe/Berlin)',
    );
    assert.match(recurrenceWords({ ...berlin, rule: 'FREQ=MONTHLY;BYDAY=-1FR' }), /^FREQ=MONTHLY;BYDAY=-1FR, from/);
  });
});
