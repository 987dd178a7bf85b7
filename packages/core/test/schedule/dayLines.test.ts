import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { readDayLines } from '../../src/schedule/index.ts';
import { refused } from '../refused.ts';

describe('readDayLines', () => {
  it('reads days with their names, under headings, in the ways in which people keep them', () => {
    const wanted = ['2026-12-25', '2026-12-26'];
    for (const text of [
      '2026-12-26\n2026-12-25\n',
      'date;name\r\n2026-12-25;Midwinter\r\n2026-12-26;The day after; closed\r\n',
      '\ufeff"Datum","Name"\n"25.12.2026","1. Feiertag"\n"26.12.2026","2. Feiertag"',
      '2026-12-25, 2026-12-26, 2026-12-25',
      '2026-12-25 2026-12-26',
      'Tag\tName\n25.12.2026\tMidwinter\n\n2026-12-26\t',
      '2026-12-25 Midwinter\n2026-12-26 The day after',
    ])
      assert.deepEqual(readDayLines(text), wanted, text);
  });

  it('names the line that has none', () => {
    for (const [text, line] of [
      ['2026-12-25\nMidwinter;2026-12-26\n', 'line 2'],
      ['2026-02-30\n', 'line 1'],
      ['date;name\n12/25/2026;Midwinter\n', 'line 2'],
      ['25.13.2026', 'line 1'],
    ] as const)
      assert.equal(refused('FILE_MALFORMED', () => readDayLines(text)).details.pointer, line, text);
    for (const text of ['', 'date;name\n', '\n\n']) refused('FILE_EMPTY', () => readDayLines(text));
  });
});
