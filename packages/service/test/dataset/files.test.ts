import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import iconv from 'iconv-lite';
import { writeWorkbook } from '@underbell/core/workbook';
import { owner, SmallHouse, author } from '../smallHouse.ts';

interface Loaded {
  readonly revision: number;
  readonly rows: number;
  readonly readAs: string;
  readonly columns: readonly { readonly name: string; readonly type: string }[];
  readonly near: readonly object[];
  readonly emptied: readonly { readonly column: string; readonly cells: number; readonly first: readonly object[] }[];
}
interface Examined {
  readonly id: string;
  readonly readAs: string;
  readonly columns: readonly { readonly name: string; readonly type: string }[];
  readonly questions: readonly { readonly about: string; readonly columns: readonly string[] }[];
}

describe('files of other places', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
  });
  after(() => small.close());

  const load = (name: string, query: string, csv: string | Buffer) =>
    small.house.call('PUT', `/api/v1/datasets/${name}/file?${query}`, { as: owner, csv });
  async function loaded(name: string, query: string, csv: string | Buffer): Promise<Loaded> {
    const answer = await load(name, query, csv);
    assert.equal(answer.status, 200, answer.text);
    return answer.body as unknown as Loaded;
  }
  async function rows(name: string): Promise<object[]> {
    const { text } = await small.fine('GET', `/api/v1/datasets/${name}/rows`, undefined, owner);
    return text
      .trim()
      .split('\n')
      .filter((line) => line !== '')
      .map((line) => JSON.parse(line) as object);
  }
  const types = ({ columns }: { columns: Loaded['columns'] }) => columns.map((one) => one.type);

  it('are never read by an order of days that nobody said', async () => {
    const csv = 'day,takings\n03/09/2026,1\n04/09/2026,2\n';
    for (const query of ['', 'type=day=date']) {
      const asked = await load('days', query, csv);
      assert.deepEqual([asked.status, asked.body.code, asked.body.pointer], [400, 'FILE_AMBIGUOUS', 'dates'], query);
      assert.match(asked.text, /2026-09-03 with dates day-month-year, 2026-03-09 with dates month-day-year/);
    }
    assert.equal((await small.house.call('GET', '/api/v1/datasets/days', { as: owner })).status, 404);
    await loaded('days', 'dates=day-month-year', csv);
    assert.deepEqual(await rows('days'), [
      { day: '2026-09-03', takings: 1 },
      { day: '2026-09-04', takings: 2 },
    ]);
    // What was settled once holds for the next file.
    assert.equal((await loaded('days', '', csv)).readAs, 'UTF-8, separator comma, dates as day-month-year');
    assert.deepEqual((await rows('days'))[0], { day: '2026-09-03', takings: 1 });
    // The two steps read as the one does.
    const sent = await small.house.call('POST', '/api/v1/uploads?file=days.csv', { as: owner, csv });
    const { id, questions } = sent.body as unknown as Examined;
    assert.deepEqual(
      questions.map((one) => [one.about, one.columns]),
      [['dates', ['day']]],
    );
    const take = (body: object) => small.house.call('POST', `/api/v1/uploads/${id}/import`, { as: owner, body });
    assert.equal((await take({ name: 'taken' })).body.code, 'FILE_AMBIGUOUS');
    assert.equal((await take({ name: 'taken', dates: 'month-day-year' })).status, 200);
    assert.deepEqual((await rows('taken'))[0], { day: '2026-03-09', takings: 1 });
  });

  it('are read with the separator, the decimal sign and the dates that their cells tell', async () => {
    const csv = 'Datum;Umsatz;Größe\n31.10.2026;1.234,50;klein\n01.11.2026;12,75;"groß; sehr"\n';
    const answer = await loaded('umsatz', '', csv);
    assert.deepEqual(types(answer), ['date', 'number', 'text']);
    assert.equal(answer.readAs, 'UTF-8, separator semicolon, decimal comma, dates as day-month-year');
    assert.deepEqual(await rows('umsatz'), [
      { datum: '2026-10-31', umsatz: 1234.5, grosse: 'klein' },
      { datum: '2026-11-01', umsatz: 12.75, grosse: 'groß; sehr' },
    ]);
    // A column that is said to hold numbers tells how they are written, however many of its cells are none.
    const few = 'sum;x\n1.204,50;1\nn/a;2\nn/a;3\n';
    assert.equal((await loaded('few', 'type=sum=number&badCells=empty', few)).emptied[0]?.cells, 2);
    const tabbed = await loaded('tabbed', '', 'a\tb\n1\tx\n');
    assert.match(tabbed.readAs, /separator tab/);
    const unsure = await load('unsure', '', 'a;b,c\n1;2,3\n');
    assert.deepEqual([unsure.body.code, unsure.body.pointer], ['FILE_AMBIGUOUS', 'separator'], unsure.text);
    assert.deepEqual(types(await loaded('unsure', 'separator=semicolon&decimal=comma', 'a;b,c\n1;2,3\n')), [
      'integer',
      'number',
    ]);
  });

  it('are asked nothing that changes nothing, have truths in words, and say what almost is a date', async () => {
    const days = Array.from({ length: 20 }, (_, i) => `2026-10-${String(i + 1).padStart(2, '0')}`);
    const lines = [...days, 'closed'].map((day, i) => `01.01.2026,${i % 2 === 0 ? 'ja' : 'nein'},${day}`);
    const csv = `since,open,day\n${lines.join('\n')}\n`;
    const answer = await loaded('words', '', csv);
    assert.deepEqual(types(answer), ['date', 'boolean', 'text']);
    assert.equal(answer.readAs, 'UTF-8, separator comma', 'no order of days is settled');
    assert.deepEqual(answer.near, [
      { column: 'day', type: 'date', count: 1, fitting: 20, first: [{ row: 21, value: 'closed' }] },
    ]);
    assert.deepEqual((await rows('words'))[1], { since: '2026-01-01', open: false, day: '2026-10-02' });
    // The next file may have days that hang on an order: those are asked about.
    assert.equal((await load('words', '', csv.replaceAll('01.01.', '05.06.'))).body.code, 'FILE_AMBIGUOUS');
    const empty = await loaded('words-two', 'type=day=date&badCells=empty', csv);
    assert.deepEqual([types(empty)[2], empty.emptied[0]?.cells, empty.near], ['date', 1, []]);
  });

  it('are read in the encoding that they have or that is said, and shown in those that it may be', async () => {
    const text = 'ort,zahl\nKüstrin,1\n';
    const latin = iconv.encode(text, 'windows-1252');
    const refused = await load('orte', '', latin);
    assert.equal(refused.body.code, 'FILE_NOT_UTF8');
    assert.match(refused.text, /windows-1252","message":"“Küstrin,1”/);
    for (const [query, bytes] of [
      ['encoding=windows-1252', latin],
      ['', latin],
      ['', iconv.encode(text, 'utf-16', { addBOM: true })],
      ['', Buffer.from(`\ufeff${text}`)],
      ['encoding=utf-16', iconv.encode(text, 'utf-16le')],
    ] as const) {
      await loaded('orte', query, bytes as Buffer);
      assert.deepEqual(await rows('orte'), [{ ort: 'Küstrin', zahl: 1 }], query);
    }
    assert.equal((await load('orte', 'encoding=utf-8', latin)).body.code, 'FILE_NOT_UTF8');
    assert.equal((await load('orte', 'encoding=latin-1', latin)).body.code, 'INPUT_INVALID');
  });

  it('load as workbooks and JSON Lines by the same way in', async () => {
    const book = writeWorkbook(
      [
        {
          title: 'Takings',
          columns: [
            { heading: 'day', type: 'date' },
            { heading: 'sum', type: 'number' },
          ],
          rows: [['2026-09-03', 1234.567]],
        },
      ],
      { title: 'Takings', notes: [] },
    );
    assert.deepEqual(types(await loaded('book', 'file=takings.xlsx', Buffer.from(book))), ['date', 'number']);
    assert.deepEqual(await rows('book'), [{ day: '2026-09-03', sum: 1234.567 }]);
    await loaded('lines', 'file=takings.jsonl', '{"day":"2026-09-03","sum":1.234}\n{"day":"2026-09-04"}\n');
    assert.deepEqual(await rows('lines'), [
      { day: '2026-09-03', sum: 1.234 },
      { day: '2026-09-04', sum: null },
    ]);
    // A workbook in between settles nothing for files of text: 1.234 stays what it was.
    const german = 'day;sum\n2026-09-03;1.234\n';
    await loaded('mixed', 'decimal=comma', german);
    await loaded('mixed', 'file=takings.xlsx&type=sum=number', Buffer.from(book));
    await loaded('mixed', '', german);
    assert.deepEqual(await rows('mixed'), [{ day: '2026-09-03', sum: 1234 }]);
    assert.equal((await load('book', 'file=takings.xlsx&separator=tab', Buffer.from(book))).body.pointer, 'separator');
  });

  it('say which cells do not fit, and how many were emptied', async () => {
    const csv = `day,sum\n${['2026-09-03,1', 'soon,2', '2026-09-05,much', 'later,more'].join('\n')}\n`;
    const refused = await load('cells', 'type=day=date&type=sum=integer', csv);
    assert.equal(refused.body.code, 'CELLS_INVALID');
    assert.match(refused.text, /2 values are not date: row 2 “soon”, row 4 “later”/);
    const answer = await loaded('cells', 'type=day=date&type=sum=integer&badCells=empty', csv);
    assert.deepEqual(answer.emptied, [
      {
        column: 'day',
        cells: 2,
        first: [
          { row: 2, value: 'soon' },
          { row: 4, value: 'later' },
        ],
      },
      {
        column: 'sum',
        cells: 2,
        first: [
          { row: 3, value: 'much' },
          { row: 4, value: 'more' },
        ],
      },
    ]);
    assert.deepEqual(await rows('cells'), [
      { day: '2026-09-03', sum: 1 },
      { day: null, sum: 2 },
      { day: '2026-09-05', sum: null },
      { day: null, sum: null },
    ]);
  });

  it('keep types, labels and keys that were settled; a cell that does not fit any more changes nothing', async () => {
    await loaded('settled', 'type=code=text&label=sum=Takings&key=code=code&unit=sum=kr', 'code,sum\n1,10\n2,20\n');
    const next = await load('settled', '', 'code,sum\n1,10\n2,20.5\n');
    assert.equal(next.body.code, 'CELLS_INVALID');
    assert.match(next.text, /1 value is not integer: row 2 “20.5”/);
    assert.deepEqual(await rows('settled'), [
      { code: '1', sum: 10 },
      { code: '2', sum: 20 },
    ]);
    const { columns } = await loaded('settled', '', 'code,sum\n3,30\n');
    assert.deepEqual(columns, [
      { name: 'code', type: 'text', key: 'code' },
      { name: 'sum', type: 'integer', label: 'Takings', unit: 'kr' },
    ]);
    // Said anew, the type changes.
    assert.deepEqual(types(await loaded('settled', 'type=sum=number', 'code,sum\n3,30.5\n')), ['text', 'number']);
  });

  it('give instants back on one wall clock with its offset, in CSV and JSON alike', async () => {
    await loaded('instants', '', 'at\n2026-07-01T06:00:00Z\n2026-12-01 06:00:00.25+01\n');
    const csv = await small.house.call('GET', '/api/v1/datasets/instants/rows?format=csv', { as: owner });
    assert.equal(csv.text, 'at\r\n2026-07-01T07:00:00+01:00\r\n2026-12-01T05:00:00.25+00:00\r\n');
    assert.deepEqual(await rows('instants'), [
      { at: '2026-07-01T07:00:00+01:00' },
      { at: '2026-12-01T05:00:00.25+00:00' },
    ]);
    // What was given out is what can be taken in.
    await loaded('again', '', csv.text);
    assert.deepEqual(await rows('again'), await rows('instants'));
  });

  it('leave revisions that one can go back to, as long as their rows are there', async () => {
    for (const sum of [1, 2, 3, 4, 5]) await loaded('back', '', `sum\n${sum}\n`);
    const back = (number: number | string, as = owner) =>
      small.house.call('POST', `/api/v1/datasets/back/versions/${number}/rollback`, { as });
    assert.equal((await back(4, author)).status, 404);
    for (const gone of [1, 99]) assert.equal((await back(gone)).body.code, 'NOT_FOUND');
    assert.equal((await back('x')).body.code, 'INPUT_INVALID');
    assert.equal((await back(3)).status, 200);
    assert.deepEqual(await rows('back'), [{ sum: 3 }]);
    // What is shown stays, however many come and go.
    for (const sum of [6, 7, 8]) {
      await loaded('back', '', `sum\n${sum}\n`);
      assert.equal((await back(3)).status, 200);
      assert.deepEqual(await rows('back'), [{ sum: 3 }]);
    }
    assert.equal((await loaded('back', '', 'sum\n9\n')).revision, 9);
    assert.deepEqual(await rows('back'), [{ sum: 9 }]);
  });
});
