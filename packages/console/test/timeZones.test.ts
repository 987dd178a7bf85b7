import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { formatCell, formatInstant } from '@underbell/core/format';
import { pageSvg } from '@underbell/core/render';
import { ageOf } from '@underbell/core/screen';
import { consoleTaste, setTimeZone, showInstant } from '../src/platform/format.ts';

/** An upload in summer and one in winter. */
const instants = ['2026-07-01T10:47:00Z', '2026-12-01T11:47:00Z'];

describe('a time', () => {
  it('is the same in page, drawing and console, with its zone, wherever the browser is', () => {
    const page = { name: 'p', title: 'P', figures: [] };
    for (const timeZone of ['Europe/Berlin', 'UTC', 'America/St_Johns', 'Asia/Kolkata']) {
      const taste = { locale: 'en-GB', timeZone };
      setTimeZone(timeZone);
      assert.equal(consoleTaste().timeZone, timeZone);
      for (const text of instants) {
        const at = Date.parse(text);
        const shown = formatInstant(at, taste);
        assert.match(shown, /^\d+ \w+ 2026, \d\d:\d\d \S+$/);
        assert.equal(formatCell(at, { type: 'instant' }, taste), shown);
        assert.equal(showInstant(text), shown);
        const { svg } = pageSvg({ title: 'R', page, taste, limits: [], dataAsOf: at, results: new Map() });
        assert.ok(svg.includes(`Data as of ${shown}<`), svg);
        const { words } = ageOf(at, at + 60_000, { worryMs: 1e9, ...taste });
        const [, clock, zone] = /, (\d\d:\d\d) (\S+)$/.exec(shown)!;
        assert.equal(words, `as of ${clock} ${zone}`);
      }
    }
    assert.equal(
      formatInstant(Date.parse(instants[1]!), { locale: 'en-GB', timeZone: 'Europe/Berlin' }),
      '1 Dec 2026, 12:47 CET',
    );
    assert.equal(showInstant(null), '–');
  });
});
