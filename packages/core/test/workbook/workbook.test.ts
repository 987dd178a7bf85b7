import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { strFromU8, unzipSync } from 'fflate';
import { WorkbookWriter, writeWorkbook, type Sheet } from '../../src/workbook/index.ts';

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
    assert.match(first, /&lt;b&gt;&amp;&quot;□ Zoë/);
    assert.match(first, /state="frozen"/);
    assert.match(
      first,
      /<row r="4"><c r="A4" s="4" t="inlineStr"><is><t xml:space="preserve">Total<.*<c r="B4" s="7"><v>0\.5/,
    );
  });

  it('gives every sheet a name of its own that workbooks allow', () => {
    const names = [...parts['xl/workbook.xml']!.matchAll(/<sheet name="([^"]+)"/g)].map((one) => one[1]!);
    assert.equal(new Set(names).size, 3);
    assert.ok(names.every((name) => name.replace('&amp;', '&').length <= 31 && !/[[\]:*?/\\]/.test(name)));
    assert.equal(names[2], 'About');
  });

  it('can be printed: as wide as the paper, the heading on every sheet, numbers beneath their headings', () => {
    assert.match(
      first,
      /<pageSetUpPr fitToPage="1"\/>.*<pageSetup paperSize="9" fitToHeight="0" orientation="portrait"\/>/,
    );
    const book = parts['xl/workbook.xml']!;
    assert.match(book, /<definedName name="_xlnm.Print_Titles" localSheetId="0">'On time[^']*'!\$1:\$1<\/definedName>/);
    assert.equal(book.match(/<definedName /g)!.length, 2, 'what was filtered has no heading');
    const right = /<c r="B1" s="(\d+)"/.exec(first)![1]!;
    assert.notEqual(right, /<c r="A1" s="(\d+)"/.exec(first)![1]);
    const columns = Array.from({ length: 12 }, (_, i) => ({ heading: `Column ${i}`, type: 'text' as const }));
    const wide = partsOf(writeWorkbook([{ title: 'W', columns, rows: [] }], { title: 'R', notes: [] }));
    assert.match(wide['xl/worksheets/sheet1.xml']!, /orientation="landscape"/);
  });

  it('gives equal bytes for equal input', () => {
    assert.deepEqual(
      writeWorkbook([sheet], { title: 'R', notes: [] }),
      writeWorkbook([sheet], { title: 'R', notes: [] }),
    );
  });

  it('shows instants on the wall clock of a zone, and says which', async () => {
    const at = Date.parse('2026-07-01T06:30:00Z');
    const book = writeWorkbook([{ title: 'S', columns: [{ heading: 'At', type: 'instant' }], rows: [[at]] }], {
      title: 'R',
      notes: [],
      timeZone: 'Asia/Kolkata',
    });
    const xml = partsOf(book)['xl/worksheets/sheet1.xml']!;
    assert.match(xml, />At \(Asia\/Kolkata\)</);
    const days = Number(/<c r="A2"[^>]*><v>([\d.]+)</.exec(xml)![1]);
    assert.equal(Math.round(days * 86_400_000) + Date.UTC(1899, 11, 30), at + 5.5 * 3_600_000);
  });

  it('puts the rows into a table whose headings are each its own', () => {
    const twice = writeWorkbook([{ ...sheet, columns: sheet.columns.map((one) => ({ ...one, heading: 'Same' })) }], {
      title: 'R',
      notes: [],
    });
    const table = partsOf(twice)['xl/tables/table1.xml']!;
    assert.match(table, /ref="A1:E3"/);
    const names = [...table.matchAll(/<tableColumn id="\d" name="([^"]+)"/g)].map((one) => one[1]);
    assert.deepEqual(names, ['Same', 'Same 2', 'Same 3', 'Same (UTC)', 'Same 4']);
    assert.match(partsOf(twice)['xl/worksheets/sheet1.xml']!, />Same 4</);
  });

  it('makes a total live that is the sum of its column, and leaves any other as it is', () => {
    const columns = [
      { heading: 'Passengers', type: 'number' as const },
      { heading: 'Share', type: 'number' as const },
    ];
    const rows = [
      [10, 0.5],
      [32, 0.25],
    ];
    const made = partsOf(writeWorkbook([{ title: 'S', columns, rows, total: [42, 0.3] }], { title: 'R', notes: [] }));
    const first = made['xl/worksheets/sheet1.xml']!;
    assert.match(first, /<c r="A4" s="\d+"><f>SUBTOTAL\(109,A2:A3\)<\/f><v>42<\/v><\/c>/);
    assert.match(first, /<c r="B4" s="\d+"><v>0\.3<\/v><\/c>/);
  });

  it('goes on colouring by the rule, and says in its properties what it is', () => {
    const highlights = [{ column: 1, op: '<' as const, value: 0.8, shown: 0, tone: 'bad' as const }];
    const made = partsOf(
      writeWorkbook([{ ...sheet, highlights }], { title: 'On <time>', notes: ['a'], dataAsOf: Date.UTC(2026, 10, 1) }),
    );
    assert.match(
      made['xl/worksheets/sheet1.xml']!,
      /<conditionalFormatting sqref="A2:A3"><cfRule type="expression" dxfId="2" priority="1"><formula>AND\(ISNUMBER\(\$B2\),\$B2&lt;0\.8\)/,
    );
    assert.match(made['docProps/core.xml']!, /<dc:title>On &lt;time&gt;<.*2026-11-01T00:00:00Z/);
  });

  it('goes on in another sheet when one is full', () => {
    const pieces: Uint8Array[] = [];
    const writer = new WorkbookWriter({ title: 'R', notes: [] }, (bytes) => void pieces.push(bytes), 300);
    writer.sheet({ title: 'Rows', columns: [{ heading: 'N', type: 'number' }] });
    for (let i = 0; i < 700; i++) writer.row([i]);
    writer.end();
    const made = partsOf(Buffer.concat(pieces));
    const counts = [1, 2, 3].map((n) => [...made[`xl/worksheets/sheet${n}.xml`]!.matchAll(/<v>/g)].length);
    assert.deepEqual(counts, [300, 300, 100]);
    assert.match(made['xl/workbook.xml']!, /name="Rows".*name="Rows 2".*name="Rows 3"/);
  });

  it('writes any number of rows in the same memory', () => {
    let bytes = 0;
    const writer = new WorkbookWriter({ title: 'R', notes: [] }, (piece) => void (bytes += piece.length));
    writer.sheet({ title: 'Rows', columns: sheet.columns });
    const before = process.memoryUsage().heapUsed;
    let most = 0;
    for (let i = 0; i < 150_000; i++) {
      writer.row(sheet.rows[0]!);
      if (i % 10_000 === 0) most = Math.max(most, process.memoryUsage().heapUsed - before);
    }
    writer.end();
    assert.ok(bytes > 100_000, String(bytes));
    // As text the sheet would be ten times as large.
    assert.ok(most < 120_000_000, `${Math.round(most / 1e6)} MB held`);
  });
});
