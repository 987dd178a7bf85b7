import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  ageOf,
  nextEdge,
  programOf,
  slotAt,
  validatePlaylist,
  screenParts,
  windowsOf,
  type PublishedPlaylist,
} from '@underbell/core/screen';
import { isRefusal } from '@underbell/core/refusal';
import { casesOf } from '../cases.ts';

const hour = 3_600_000;
const berlin = 'Europe/Berlin';
const at = (text: string) => Date.parse(text);
const shown = (windows: readonly (readonly [number, number])[]) =>
  windows.map(([from, until]) => [from, until].map((one) => new Date(one).toISOString().slice(0, 16)).join('/'));
const slot = (name: string, seconds = 10, more: object = {}) => ({ name, seconds, as: name, ...more });
const list = (playlist: string, slots: readonly object[], more: object = {}) =>
  ({ playlist, revision: 1, slots, ...more }) as PublishedPlaylist<string>;

describe('hours', () => {
  it('hold on the wall clock of the screen, past midnight, over the change of the clock', () => {
    const day = [at('2026-10-24T00:00Z'), at('2026-10-26T12:00Z')] as const;
    assert.deepEqual(shown(windowsOf([{ from: '22:00', to: '04:00' }], berlin, day)), [
      '2026-10-24T00:00/2026-10-24T02:00',
      '2026-10-24T20:00/2026-10-25T02:00',
      '2026-10-25T21:00/2026-10-26T03:00',
    ]);
  });

  it('are those of some days, of any recurrence, and one where they meet', () => {
    const week = [at('2026-11-23T00:00Z'), at('2026-11-30T00:00Z')] as const;
    assert.deepEqual(shown(windowsOf([{ days: ['MO', 'FR'], from: '06:00', to: '08:00' }], berlin, week)), [
      '2026-11-23T05:00/2026-11-23T07:00',
      '2026-11-27T05:00/2026-11-27T07:00',
    ]);
    const rule = { rule: 'FREQ=MONTHLY;BYMONTHDAY=24', start: '2026-01-01T10:00', minutes: 90 };
    assert.deepEqual(shown(windowsOf([rule], 'UTC', week)), ['2026-11-24T10:00/2026-11-24T11:30']);
    const both = [
      { from: '06:00', to: '12:00' },
      { from: '12:00', to: '24:00' },
    ];
    assert.equal(windowsOf(both, 'UTC', [week[0] + hour, week[0] + 20 * hour]).length, 1);
    assert.deepEqual(windowsOf(undefined, berlin, week), [week]);
  });
});

describe('a program', () => {
  const within = [at('2026-11-28T00:00Z'), at('2026-11-29T06:00Z')] as const;
  const day = list('day', [slot('a'), slot('b', 20)], { hours: [{ from: '06:00', to: '20:00' }] });
  const night = list('night', [slot('n')]);

  it('is the first playlist whose hours hold; an interruption goes before all', () => {
    const stop = { id: '7', from: at('2026-11-28T10:00Z'), until: at('2026-11-28T10:30Z'), slot: slot('stop', 60) };
    const program = programOf({ playlists: [day, night], interruptions: [stop], timeZone: 'UTC', within });
    const parts = program.map(
      (one) => `${new Date(one.from).toISOString().slice(11, 16)} ${one.playlist ?? one.interruption!}`,
    );
    assert.deepEqual(parts, ['00:00 night', '06:00 day', '10:00 7', '10:30 day', '20:00 night']);
  });

  it('has nothing where nothing applies, and says when that ends', () => {
    const program = programOf({ playlists: [day], interruptions: [], timeZone: 'UTC', within });
    assert.equal(slotAt(program, within[0] + hour), undefined);
    assert.equal(nextEdge(program, within[0] + hour), within[0] + 6 * hour);
    // A playlist whose slots have all ended leaves the place to the next.
    const over = list('over', [slot('x', 10, { until: '2026-11-01' })]);
    assert.equal(
      programOf({ playlists: [over, night], interruptions: [], timeZone: 'UTC', within })[0]!.playlist,
      'night',
    );
  });

  it('takes slots in turn, from the instant at which they began together', () => {
    const program = programOf({ playlists: [day], interruptions: [], timeZone: 'UTC', within });
    const begin = within[0] + 6 * hour;
    const names = [0, 9, 10, 29, 30, 45].map((second) => slotAt(program, begin + second * 1000)!.slot.name);
    assert.deepEqual(names, ['a', 'a', 'b', 'b', 'a', 'b']);
    const without = slotAt(program, begin + 1000, (one) => one.name === 'a')!;
    assert.equal(without.slot.name, 'b');
  });

  it('gives every instant one turn, whose end is the next one’s beginning', () => {
    const { numRuns, seed } = casesOf(200, 20_281);
    const times = fc.tuple(fc.integer({ min: 0, max: 23 }), fc.integer({ min: 1, max: 24 }));
    const hours = fc.option(
      fc.array(
        times.map(([from, to]) => ({
          from: `${String(from).padStart(2, '0')}:00`,
          to: `${String(to).padStart(2, '0')}:00`,
        })),
        { minLength: 1, maxLength: 3 },
      ),
      { nil: undefined },
    );
    const slots = fc.array(fc.record({ seconds: fc.integer({ min: 5, max: 900 }), hours }), {
      minLength: 1,
      maxLength: 5,
    });
    const playlists = fc.array(fc.record({ hours, slots }), { minLength: 1, maxLength: 3 });
    fc.assert(
      fc.property(playlists, fc.double({ min: 0, max: 0.999, noNaN: true }), (all, share) => {
        const made = all.map((one, i) =>
          list(
            `p${i}`,
            one.slots.map((own, j) => ({ ...slot(`s${j}`, own.seconds), ...(own.hours ? { hours: own.hours } : {}) })),
            one.hours ? { hours: one.hours } : {},
          ),
        );
        const program = programOf({ playlists: made, interruptions: [], timeZone: berlin, within });
        program.forEach((one, i) => assert.ok(one.from < one.until && (program[i - 1]?.until ?? 0) <= one.from));
        const now = within[0] + Math.floor(share * (within[1] - within[0]));
        const turn = slotAt(program, now);
        if (!turn) return;
        assert.ok(turn.from <= now && now < turn.until);
        assert.ok(turn.slot.windows.some(([from, until]) => from <= now && now < until));
        // The last millisecond still has it; the next one is another turn.
        assert.equal(slotAt(program, turn.until - 1)!.slot.name, turn.slot.name);
        const next = slotAt(program, turn.until);
        if (next) assert.ok(next.from <= turn.until);
      }),
      { numRuns, seed },
    );
  });
});

describe('a playlist as it is written', () => {
  const good = {
    format: 'underbell-playlist/1',
    name: 'a',
    title: 'A',
    slots: [{ name: 's', shows: { text: 'x' }, seconds: 5 }],
  };
  it('says what is wrong with it, and where', () => {
    assert.deepEqual(validatePlaylist(good), good);
    for (const [change, pointer] of [
      [{ seconds: 4 }, '/slots/0/seconds'],
      [{ shows: { page: 'x' } }, '/slots/0/shows'],
      [{ hours: [{ from: '24:00', to: '25:00' }] }, '/slots/0/hours/0/to'],
      [{ where: { a: 'TRUE' } }, '/slots/0'],
    ] as const) {
      const bad = { ...good, slots: [{ ...good.slots[0], ...change }] };
      assert.throws(
        () => validatePlaylist(bad),
        (error: unknown) => isRefusal(error, 'PLAYLIST_INVALID') && error.details.pointer!.startsWith(pointer),
        JSON.stringify(change),
      );
    }
  });
});

describe('the age of what is shown', () => {
  const style = { worryMs: 2 * hour, locale: 'en', timeZone: berlin };
  it('is a time of today, a day before that, and in words when it is old', () => {
    const now = at('2026-11-28T15:05Z');
    assert.deepEqual(ageOf(at('2026-11-28T13:05Z'), now, style), { words: 'as of 14:05 GMT+1', isWorrying: false });
    assert.deepEqual(ageOf(at('2026-11-28T12:05Z'), now, style), {
      words: 'as of 13:05 GMT+1, 3 hours old',
      isWorrying: true,
    });
    assert.equal(ageOf(at('2026-11-25T12:05Z'), now, style).words, 'as of Wed, Nov 25, 13:05 GMT+1, 3 days old');
    assert.equal(ageOf(now + hour, now, style).isWorrying, false, 'a clock may be ahead');
  });
});

describe('a page on a wall', () => {
  const figure = (row: number, height: number, column = 1, width = 12) => ({ at: { column, row, width, height } });
  it('stays as it is where it fits, is several sheets where not, and cuts no figure in two', () => {
    const page = [figure(1, 3, 1, 6), figure(1, 3, 7, 6), figure(4, 6), figure(10, 8), figure(18, 30)];
    const sheets = screenParts(page, { columns: 12, rows: 13 });
    assert.deepEqual(
      sheets.map((one) => [one.rows, one.figures.length]),
      [
        [9, 3],
        [8, 1],
        [13, 1],
      ],
    );
    assert.equal(sheets[2]!.figures[0]!.at.height, 13);
  });

  it('is laid out anew where it stands upright: narrow figures beside each other', () => {
    const page = [figure(1, 3, 1, 3), figure(1, 3, 4, 3), figure(1, 3, 7, 3), figure(4, 6)];
    const [sheet] = screenParts(page, { columns: 6, rows: 24 });
    assert.deepEqual(
      sheet!.figures.map((one) => [one.at.column, one.at.row, one.at.width]),
      [
        [1, 1, 3],
        [4, 1, 3],
        [1, 4, 3],
        [1, 7, 6],
      ],
    );
  });
});
