import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { formatCell, formatDate, formatNumber, isNumberPattern } from '../../src/format/index.ts';

describe('formatNumber', () => {
  for (const [value, pattern, locale, expected] of [
    [0, '#,##0', 'en-GB', '0'],
    [-1234567.891, '#,##0.0', 'en-GB', '-1,234,567.9'],
    [1234567, '0', 'en-GB', '1234567'],
    [0.5, '0 %', 'en-GB', '50 %'],
    [0.5, '0%', 'en-GB', '50%'],
    [0.0125, '0.0 ‰', 'en-GB', '12.5 ‰'],
    [12.5, '€ #,##0.00', 'en-GB', '€ 12.50'],
    [12.5, '#,##0.00 kn', 'en-GB', '12.50 kn'],
    [1.25, '0.##', 'en-GB', '1.25'],
    [1, '0.##', 'en-GB', '1'],
    [1234.5, '#,##0.0', 'fr-FR', '1 234,5'],
  ] as const) {
    it(`shows ${value} by ${pattern} in ${locale} as ${expected}`, () => {
      assert.equal(formatNumber(value, pattern, locale).replace(/[\u202f\u00a0]/g, ' '), expected);
    });
  }

  it('knows patterns from other text', () => {
    for (const text of ['0', '#,##0.0 %', '€ 0.00']) assert.ok(isNumberPattern(text), text);
    for (const text of ['', 'abc', '0.0.0']) assert.ok(!isNumberPattern(text), text);
  });

  it('keeps the value within half a step, whatever the number', () => {
    fc.assert(
      fc.property(fc.double({ min: -1e9, max: 1e9, noNaN: true }), fc.integer({ min: 0, max: 4 }), (value, digits) => {
        const shown = formatNumber(value, `0.${'0'.repeat(digits)}`.replace(/\.$/, ''), 'en-GB');
        assert.ok(Math.abs(Number(shown) - value) <= 0.5000001 * 10 ** -digits, `${value} became ${shown}`);
      }),
      { seed: 5, numRuns: 500 },
    );
  });
});

describe('formatCell', () => {
  const taste = { locale: 'en-GB', timeZone: 'Europe/London' };

  it("shows instants in the reader's time zone, across daylight saving", () => {
    assert.equal(formatCell(Date.parse('2026-10-24T12:00:00Z'), { type: 'instant' }, taste), '24 Oct 2026, 13:00 BST');
    assert.equal(formatCell(Date.parse('2026-10-26T12:00:00Z'), { type: 'instant' }, taste), '26 Oct 2026, 12:00 GMT');
  });

  it('shows dates as dates, never shifted by a zone', () => {
    for (const timeZone of ['Pacific/Kiritimati', 'America/Adak']) {
      assert.equal(formatCell('2026-10-01', { type: 'date' }, { locale: 'en-GB', timeZone }), '1 Oct 2026');
    }
    assert.equal(formatDate('2026-10-01', 'de-DE', 'long'), '1. Oktober 2026');
  });

  it('shows yes and no, and a dash for what is missing', () => {
    assert.deepEqual(
      [true, false, null, undefined].map((one) => formatCell(one, { type: 'boolean' }, taste)),
      ['yes', 'no', '–', '–'],
    );
  });
});
