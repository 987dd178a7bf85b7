import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { strFromU8, unzipSync } from 'fflate';
import { writeWorkbook, type Sheet } from '../../src/workbook/index.ts';

const sheet: Sheet = {
  title: 'On time: by [route] & quay, a title that is far too long',
  columns: [
    { heading: 'Route', type: 'text' },
    { heading: 'Share', type: 'number', format: '0.0 %' },
    { heading: 'Day', type: 'date' },
    { heading: 'Left', type: 'instant' },
    { heading: 'Gone', type: 'boolean' },
  ],
  rows: [
    ['=1+1', 0.825, '2026-10-05', Date.parse('2026-10-05T12:00:00Z'), true],
    ['<b>&"\u0001 Zoë', null, '1850-01-01', null, false],
  ],
  total: [null, 0.5, null, null, null],
};
const partsOf = (bytes: Buffer) =>
  Object.fromEntries(Object.entries(unzipSync(bytes)).map(([name, part]) => [name, strFromU8(part)]));

describe('writeWorkbook', () => {
  const bytes = writeWorkbook([sheet, { ...sheet, rows: [] }], { title: 'Report', notes: ['Period: October 2026'] });
  const parts = partsOf(bytes);
  const first = parts['xl/worksheets/sheet1.xml']!;

  it('types its cells: numbers, dates as days, texts as texts even where they look like formulas', () => {
    assert.match(first, /<c r="B2" s="\d+"><v>0\.825<\/v><\/c>/);
    assert.match(first, /<c r="C2" s="2"><v>46300<\/v><\/c>/);
    assert.match(first, /<c r="D2" s="3"><v>46300\.5<\/v><\/c>/);
    assert.match(first, /<c r="A2" t="inlineStr"><is><t xml:space="preserve">=1\+1</);
    assert.doesNotMatch(first, /<f>/);
    // Workbooks know no days before 1900.
    assert.match(first, />1850-01-01</);
  });

  it('escapes what XML cannot hold, and freezes the heading', () => {
    assert.match(first, /&lt;b&gt;&amp;&quot; Zoë/);
    assert.match(first, /state="frozen"/);
    assert.match(first, /<row r="4"><c r="B4"/);
  });

  it('gives every sheet a name of its own that workbooks allow', () => {
    const names = [...parts['xl/workbook.xml']!.matchAll(/<sheet name="([^"]+)"/g)].map((one) => one[1]!);
    assert.equal(new Set(names).size, 3);
    assert.ok(names.every((name) => name.replace('&amp;', '&').length <= 31 && !/[[\]:*?/\\]/.test(name)));
    assert.equal(names[2], 'About');
  });

  it('gives equal bytes for equal input', () => {
    assert.deepEqual(
      writeWorkbook([sheet], { title: 'R', notes: [] }),
      writeWorkbook([sheet], { title: 'R', notes: [] }),
    );
  });
});
