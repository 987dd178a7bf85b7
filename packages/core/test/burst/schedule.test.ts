import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { parse } from 'csv-parse/sync';
import {
  comparePlan,
  nextRuns,
  periodAt,
  rowWriter,
  type BurstDefinition,
  type PlanEntry,
} from '../../src/burst/index.ts';
import type { DatasetColumn } from '../../src/dataset/index.ts';

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
  });

  it('marks nothing where there was no run before', () => {
    assert.equal(comparePlan([entry('a', 5)], []).entries.get('a')?.mark, undefined);
  });
});

describe('rowWriter', () => {
  const columns: DatasetColumn[] = [
    { name: 'words', type: 'text' },
    { name: 'amount', type: 'number' },
    { name: 'at', type: 'instant' },
  ];

  it('writes any text so that it is read back, with every separator; formulas get an apostrophe', () => {
    const nasty = fc.array(fc.constantFrom('a', ';', ',', '\t', '"', '\n', '\r', '=', '-', 'é', '𝛼', ' '), {
      maxLength: 8,
    });
    fc.assert(
      fc.property(nasty, fc.constantFrom('comma', 'semicolon', 'tab'), (letters, separator) => {
        const text = letters.join('');
        const writer = rowWriter('csv', columns, { separator });
        const delimiter = { comma: ',', semicolon: ';', tab: '\t' }[separator]!;
        const [, row] = parse(writer.head + writer.line([text, '1.50', null]), { delimiter, record_delimiter: '\n' });
        const guarded = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
        assert.deepEqual(row, [guarded, '1.50', ''], JSON.stringify(text));
      }),
      { numRuns: 3000, seed: 17 },
    );
  });

  it('writes JSON with every digit of a number', () => {
    const writer = rowWriter('jsonl', columns);
    assert.equal(
      writer.line(['a"b', '123456789012345678.90', '2026-10-01 08:00:00+02']),
      '{"words":"a\\"b","amount":123456789012345678.90,"at":"2026-10-01T06:00:00.000Z"}\n',
    );
    assert.equal(writer.line([null, 'NaN', null]), '{"words":null,"amount":"NaN","at":null}\n');
  });
});
