import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { readHolidays, writeCalendar } from '../../src/schedule/calendarFile.ts';
import { House, publisher } from '../house.ts';

const lines = (...all: string[]) => `${['BEGIN:VCALENDAR', 'VERSION:2.0', ...all, 'END:VCALENDAR'].join('\r\n')}\r\n`;
const event = (...all: string[]) => ['BEGIN:VEVENT', `UID:${all.join()}`, ...all, 'END:VEVENT'];

describe('readHolidays', () => {
  it('takes the days of all-day events, one that lasts longer with all of them', () => {
    const text = lines(
      ...event('DTSTART;VALUE=DATE:20261225', 'DTEND;VALUE=DATE:20261227', 'SUMMARY:Midwinter'),
      ...event('DTSTART;VALUE=DATE:20260501', 'SUMMARY:A day without an end'),
      ...event('DTSTART:20260601T090000Z', 'DTEND:20260601T100000Z', 'SUMMARY:An hour is no holiday'),
    );
    assert.deepEqual(readHolidays(text, 2026), ['2026-05-01', '2026-12-25', '2026-12-26']);
  });

  it('follows those that come again every year, from this one on', () => {
    const days = readHolidays(lines(...event('DTSTART;VALUE=DATE:20100101', 'RRULE:FREQ=YEARLY')), 2026);
    assert.deepEqual([days[0], days.at(-1), days.length], ['2026-01-01', '2035-01-01', 10]);
  });

  it('refuses what is no calendar, and one without a day', () => {
    for (const text of ['2026-12-25', 'BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART:soon', '<html></html>'])
      assert.throws(() => readHolidays(text, 2026), { code: 'FILE_MALFORMED' }, text);
    assert.throws(() => readHolidays(lines(), 2026), { code: 'FILE_EMPTY' });
  });
});

describe('writeCalendar', () => {
  it('folds long lines and escapes what has a meaning', () => {
    const title = `Pack; with, ${'a very long title '.repeat(8)}`.trim();
    const at = new Date('2026-12-01T05:00:00Z');
    const text = writeCalendar([{ id: 'x@y', at, title, address: 'http://127.0.0.1/console' }], at.getTime());
    assert.ok(text.split('\r\n').every((line) => Buffer.byteLength(line) <= 75));
    assert.match(text, /DTSTART:20261201T050000Z/);
    assert.ok(text.replaceAll('\r\n ', '').includes(`SUMMARY:Pack\\; with\\, a very`));
  });
});

describe('holidays of schedules', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const put = (body: object, as = publisher) => house.call('PUT', '/api/v1/holiday-calendars', { as, body });
  const times = async () =>
    (await house.call('GET', '/api/v1/bursts/kiosk-takings/next-runs', { as: publisher })).body as unknown as {
      words: string;
      times: { at: string }[];
    };

  it('are kept to, also when the list changes afterwards, and cannot vanish under them', async () => {
    assert.equal((await put({ name: 'closures', title: 'Closures', days: ['2030-01-01'] })).status, 200);
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: { schedule: object } }[];
    };
    const { definition } = bursts.find((one) => one.name === 'kiosk-takings')!;
    const save = (schedule: object) =>
      house.call('PUT', '/api/v1/bursts', {
        as: publisher,
        body: { ...definition, schedule: { ...definition.schedule, ...schedule } },
      });
    const wrong = await save({ holidays: 'closure' });
    assert.deepEqual([wrong.body.code, wrong.body.nearest], ['BURST_INVALID', ['closures']], wrong.text);
    assert.equal((await save({ holidays: 'closures', onHoliday: 'skip' })).status, 200);
    const first = (await times()).times[0]!.at;
    const day = first.slice(0, 10);
    assert.equal((await put({ name: 'closures', title: 'Closures', days: [day] })).status, 200);
    const moved = await times();
    assert.notEqual(moved.times[0]!.at, first);
    assert.match(moved.words, /not on holidays of “closures”/);
    const [row] = (await house.app.records.query(
      "SELECT next_run_at FROM bursts WHERE name = 'kiosk-takings'",
    )) as unknown as [{ next_run_at: Date }[]];
    assert.equal(row[0]!.next_run_at.toISOString(), moved.times[0]!.at, 'the clock knows of it, too');
    const used = await house.call('DELETE', '/api/v1/holiday-calendars/closures', { as: publisher });
    assert.deepEqual([used.status, used.body.code], [409, 'IN_USE']);
    assert.equal((await save({})).status, 200);
    assert.equal((await house.call('DELETE', '/api/v1/holiday-calendars/closures', { as: publisher })).status, 204);
  });

  it('are saved by those who make bursts, and only with days that there are', async () => {
    const days = ['2026-12-25'];
    assert.equal((await put({ name: 'x', title: 'X', days }, 'quay17@skerrow.example')).status, 403);
    assert.equal((await put({ name: 'x', title: 'X', days: ['2026-02-30'] })).body.code, 'INPUT_INVALID');
    assert.equal((await put({ name: 'x', title: 'X' })).body.code, 'INPUT_INVALID');
    assert.equal((await put({ name: 'x', title: 'X', text: 'none' })).body.code, 'FILE_EMPTY');
    const named = await put({ name: 'named', title: 'Named', text: 'date;name\n2026-12-25;Midwinter\n' });
    assert.deepEqual((named.body as unknown as { days: string[] }).days, days);
    // A rule that never comes true is given up, while everything else goes on.
    const endless = lines(...event('DTSTART;VALUE=DATE:20260101', 'RRULE:FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30'));
    let isAnswered = false;
    const asked = put({ name: 'x', title: 'X', text: endless }).then((answer) => {
      isAnswered = true;
      return answer;
    });
    for (let i = 0; i < 3; i++) assert.equal((await house.call('GET', '/health/live')).status, 200);
    assert.equal(isAnswered, false, 'others are answered first');
    assert.equal((await asked).body.code, 'INPUT_TOO_LARGE');
  });
});

describe('a calendar’s address', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const make = async (as: string) =>
    new URL(
      ((await house.call('POST', '/api/v1/calendar-feed', { as, body: {} })).body as unknown as { address: string })
        .address,
    ).pathname;
  const fetch = (path: string) => house.call('GET', path);

  it('shows what its owner may see, without signing in, until it is taken back', async () => {
    const path = await make(publisher);
    const found = await fetch(path);
    assert.equal(found.status, 200, found.text);
    assert.ok(found.text.includes('SUMMARY:') && found.text.includes('kiosk-takings'));
    const other = await fetch(await make('quay17@skerrow.example'));
    assert.ok(!other.text.includes('SUMMARY:'), 'who may see no burst has an empty calendar');
    const again = await make(publisher);
    assert.equal((await fetch(path)).status, 404, 'the address before stops working');
    assert.equal((await house.call('DELETE', '/api/v1/calendar-feed', { as: publisher })).status, 204);
    assert.equal((await fetch(again)).status, 404);
    assert.equal((await fetch('/calendar/ubk_nobody-has-this.ics')).status, 404);
  });
});
