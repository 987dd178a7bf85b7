import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { readInstant } from '../../src/dataset/index.ts';
import { writeInstant } from '../../src/format/index.ts';

const at = (text: string) => Date.parse(text);

describe('writeInstant', () => {
  it('shows the wall clock of a zone with its offset, as RFC 3339 writes it', () => {
    assert.equal(writeInstant(at('2026-07-01T06:00:00Z'), 'Europe/London'), '2026-07-01T07:00:00+01:00');
    assert.equal(writeInstant(at('2026-12-01T06:00:00Z'), 'Europe/London'), '2026-12-01T06:00:00+00:00');
    assert.equal(writeInstant(at('2026-07-01T06:00:00Z'), 'Asia/Kathmandu'), '2026-07-01T11:45:00+05:45');
    assert.equal(writeInstant(at('2026-07-01T06:00:00Z'), 'America/St_Johns'), '2026-07-01T03:30:00-02:30');
    assert.equal(writeInstant(at('2026-07-01T06:00:00Z') + 0.25, 'UTC'), '2026-07-01T06:00:00.000250+00:00');
    assert.equal(writeInstant(Infinity, 'UTC'), 'infinity');
  });

  it('is read back as the same instant, in every zone, also where the clock is moved', (t) => {
    const zones = ['Europe/London', 'Europe/Berlin', 'America/New_York', 'Australia/Lord_Howe', 'Asia/Kolkata', 'UTC'];
    const instant = fc.integer({ min: at('1970-01-01T00:00:00Z'), max: at('2060-01-01T00:00:00Z') });
    fc.assert(
      fc.property(instant, fc.constantFrom(...zones), (ms, zone) =>
        assert.equal(readInstant(writeInstant(ms, zone)), ms),
      ),
      { numRuns: 1_000, seed: 12 },
    );
    t.diagnostic('1000 instants, seed 12');
  });
});
