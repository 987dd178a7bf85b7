import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { after, before, describe, it } from 'node:test';
import { readSheet } from 'read-excel-file/node';
import type { ShownPlan } from '@underbell/core/burst/apiTypes';
import { startWorker } from '../../src/server.ts';
import type { Answer } from '../house.ts';
import { author, owner, reader, SmallHouse } from '../smallHouse.ts';

/** Wednesday of ISO week 44. */
const wednesday = Date.parse('2026-10-28T09:00:00Z');
const day = 86_400_000;

/** One visit a day to each of two shops, from 1 September to 31 October: so many guests as the day of the month. */
const visits = Array.from({ length: 61 }, (_, i) =>
  new Date(Date.UTC(2026, 8, 1 + i)).toISOString().slice(0, 10),
).flatMap((date) => ['S1', 'S2'].map((shop) => `${date},${shop},${Number(date.slice(8))}`));

const report = {
  format: 'underbell-report/1',
  name: 'visits',
  title: 'Visits',
  datasets: { visits: {} },
  parameters: [
    { name: 'shop', type: 'text', key: 'shop' },
    { name: 'period', label: 'Period', type: 'date', column: 'day', period: true, default: 'last week' },
    { name: 'least', type: 'number', column: 'guests', default: '1', many: true },
  ],
  measures: { guests: { label: 'Guests', expression: 'sum(guests)', dataset: 'visits' } },
  pages: [
    {
      name: 'all',
      title: 'All',
      print: { header: 'Shop {param:shop}, {param:period}', footer: 'For {param:shop}' },
      figures: [
        {
          kind: 'number',
          name: 'guests',
          title: 'Guests',
          measure: 'guests',
          compare: { with: 'period before' },
          at: { column: 1, row: 1, width: 5, height: 2 },
        },
        {
          kind: 'bar',
          name: 'by-shop',
          title: 'By shop',
          by: 'shop',
          measure: 'guests',
          compare: { with: 'period before' },
          at: { column: 1, row: 3, width: 6, height: 6 },
        },
      ],
    },
  ],
};

describe('what a run is about', () => {
  let small: SmallHouse;
  const start = Date.now();
  let later = 0;
  before(async () => {
    small = await SmallHouse.open({ now: () => wednesday + Date.now() - start + later });
    small.house.worker = startWorker(small.house.app);
    const loaded = await small.house.call('PUT', '/api/v1/datasets/visits/file?key=shop=shop', {
      as: owner,
      csv: `day,shop,guests\n${visits.join('\n')}\n`,
    });
    assert.equal(loaded.status, 200, loaded.text);
    const plainly = { ...report, parameters: report.parameters.slice(0, 2) };
    await small.fine('POST', '/api/v1/reports', { definition: plainly, notes: '' }, owner);
    const list = await small.house.call('PUT', '/api/v1/lists/shops?id=shop', {
      as: owner,
      csv: 'shop,email\nS1,one@shops.example\nS2,two@shops.example\n',
    });
    assert.equal(list.status, 200, list.text);
  });
  after(() => small.close());

  const definition = (change: object = {}) => ({
    format: 'underbell-burst/1',
    name: 'weekly',
    title: 'Weekly pack',
    report: 'visits',
    list: 'shops',
    bind: { shop: 'shop' },
    period: { unit: 'week', parameter: 'period' },
    formats: ['csv'],
    fileName: '{burst}-{shop}-{period}',
    destination: { kind: 'mail', subject: 'Pack', message: 'Here it is.' },
    ...change,
  });
  const save = (change: object) => small.house.call('PUT', '/api/v1/bursts', { as: owner, body: definition(change) });
  async function saved(change: object): Promise<void> {
    const answer = await save(change);
    assert.equal(answer.status, 200, answer.text);
  }
  const plan = async (name: string, query = '') =>
    (await small.fine('GET', `/api/v1/bursts/${name}/preview${query}`, undefined, owner)).body as unknown as ShownPlan;
  async function run(name: string, body: object = {}) {
    const started = await small.house.call('POST', `/api/v1/bursts/${name}/runs`, { as: owner, body });
    assert.equal(started.status, 202, started.text);
    return small.house.finished((started.body as unknown as { id: number }).id, owner);
  }
  const sample = (name: string, format: string, query = '') =>
    small.house.call('GET', `/api/v1/bursts/${name}/sample?recipient=S1&format=${format}${query}`, { as: owner });
  const days = ({ text }: Answer) => [...text.matchAll(/2026-\d\d-\d\d/g)].map(([one]) => one).sort();

  it('is a day, a week, a month, a quarter or a year, and everybody gets each once', async () => {
    const stretches = [
      ['day', '2026-10-26', ['2026-10-26', '2026-10-26'], '26 October 2026'],
      ['week', '2026-W43', ['2026-10-19', '2026-10-25'], '19\u2009–\u200925 Oct 2026'],
      ['month', '2026-09', ['2026-09-01', '2026-09-30'], 'September 2026'],
      ['quarter', '2026-Q4', ['2026-10-01', '2026-10-31'], 'Q4 2026'],
      ['year', '2026', ['2026-09-01', '2026-10-31'], '2026'],
    ] as const;
    for (const [unit, period, [first, last], words] of stretches) {
      await saved({ period: { unit, parameter: 'period' } });
      const planned = await plan('weekly', `?period=${period}`);
      assert.deepEqual([planned.period.words, planned.counts.planned], [words, 2], unit);
      const found = days(await sample('weekly', 'csv', `&period=${period}`));
      assert.deepEqual([found[0], found.at(-1)], [first, last], unit);
      assert.equal((await run('weekly', { period })).counts.sent, 2, unit);
      assert.equal((await run('weekly', { period })).counts.sent, 0, `${unit} again`);
      const other = unit === 'day' ? '2026-10' : '2026-10-26';
      const refused = await small.house.call('GET', `/api/v1/bursts/weekly/preview?period=${other}`, { as: owner });
      assert.deepEqual([refused.body.code, refused.body.pointer], ['INPUT_INVALID', 'period'], unit);
    }
  });

  it('is refused where the report filters by another one, or by one that the burst does not set', async () => {
    const [page] = report.pages;
    const guests = { kind: 'number', name: 'guests', title: 'Guests', measure: 'guests' };
    const monthly = {
      ...report,
      name: 'monthly',
      datasets: { months: {} },
      parameters: [report.parameters[0], { name: 'month', type: 'date', column: 'month' }],
      measures: { guests: { ...report.measures.guests, dataset: 'months' } },
      pages: [{ name: 'all', title: 'All', figures: [{ ...guests, at: page!.figures[0]!.at }] }],
    };
    const rows = [7, 8, 9, 10].map((month) => `2026-${String(month).padStart(2, '0')}-01,S1,${month}`);
    const loaded = await small.house.call('PUT', '/api/v1/datasets/months/file?key=shop=shop', {
      as: owner,
      csv: `month,shop,guests\n${rows.join('\n')}\n`,
    });
    assert.equal(loaded.status, 200, loaded.text);
    await small.fine('POST', '/api/v1/reports', { definition: monthly, notes: '' }, owner);
    const wrong = [
      [{ report: 'monthly', period: { unit: 'week', parameter: 'month' } }, '/period/unit', 'month'],
      [{ report: 'monthly', period: { unit: 'day', parameter: 'month' } }, '/period/unit', 'month'],
      [{ report: 'monthly', period: { unit: 'year', parameter: 'month' } }, '/period/unit', 'month'],
      [{ report: 'monthly', period: { unit: 'week' } }, '/period/parameter', 'month'],
      [{ period: { unit: 'week' } }, '/period/parameter', 'period'],
    ] as const;
    for (const [change, pointer, nearest] of wrong) {
      const refused = await save({ name: 'misfit', ...change });
      assert.deepEqual(
        [refused.status, refused.body.pointer, refused.body.nearest?.[0]],
        [400, pointer, nearest],
        refused.text,
      );
    }
    // What is said on purpose holds.
    await saved({ name: 'on-purpose', period: { unit: 'week' }, parameters: { period: 'last month' } });
    await saved({ name: 'by-month', report: 'monthly', period: { unit: 'month', parameter: 'month' } });
    assert.equal((await plan('by-month', '?period=2026-09')).entries[0]!.rows, 1);
    // Rows that come later are looked at by the plan and the run.
    const changed = await small.house.call('PUT', '/api/v1/datasets/months/file?key=shop=shop', {
      as: owner,
      csv: 'month,shop,guests\n2026-09-01,S1,1\n2026-09-02,S1,1\n',
    });
    assert.equal(changed.status, 200, changed.text);
    const late = await small.house.call('GET', '/api/v1/bursts/by-month/preview?period=2026-09', { as: owner });
    assert.deepEqual(
      [late.status, late.body.code, late.body.pointer],
      [400, 'BURST_INVALID', '/period/unit'],
      late.text,
    );
  });

  it('is set beside what was sent of the one before, however often that was run again in vain', async () => {
    const quarterly = { name: 'quarterly', period: { unit: 'quarter', parameter: 'period' } };
    await saved(quarterly);
    const { id } = await run('quarterly', { period: '2026-Q3', only: ['S1'] });
    const rest = await run('quarterly', { period: '2026-Q3' });
    assert.deepEqual([rest.counts.sent, (await run('quarterly', { period: '2026-Q3' })).counts.sent], [1, 0]);
    await saved({ ...quarterly, where: { visits: 'guests < 4' } });
    const planned = await plan('quarterly', '?period=2026-Q4');
    assert.deepEqual(
      planned.entries.map((one) => [one.rowsBefore, one.rows, one.mark]),
      [
        [30, 3, 'much smaller'],
        [30, 3, 'much smaller'],
      ],
    );
    assert.deepEqual([planned.before?.period, planned.before?.copies], ['2026-Q3', 2]);
    assert.ok(planned.before!.run > id);
    // A later one that was sent already is not what an earlier one is set beside.
    await run('quarterly', { period: '2026-Q4' });
    const earlier = await plan('quarterly', '?period=2026-Q2&again=true');
    assert.equal(earlier.before, undefined);
    assert.equal((await plan('quarterly', '?period=2026-Q4&again=true')).before?.period, '2026-Q3');
  });

  it('is the run itself where it says so: everybody gets it each time, and a file has its instant', async () => {
    await saved({ name: 'each-time', period: { unit: 'run' } });
    const names = [];
    for (later of [0, day]) {
      const ledger = await run('each-time');
      assert.equal(ledger.counts.sent, 2);
      names.push(ledger.period);
    }
    later = 0;
    assert.match(names.join(' '), /^20261028T09\d{4}Z 20261029T09\d{4}Z$/);
    assert.equal((await save({ name: 'each-time', period: { unit: 'run', parameter: 'period' } })).status, 400);
  });

  it('comes with the schedule, which says where two of its times are about one', async () => {
    const schedule = {
      rule: 'FREQ=WEEKLY;BYDAY=MO,TH;BYHOUR=6;BYMINUTE=0',
      start: '2026-10-01T06:00',
      timeZone: 'UTC',
    };
    await saved({ name: 'twice', schedule });
    const { times } = (await small.fine('GET', '/api/v1/bursts/twice/next-runs', undefined, owner)).body as unknown as {
      times: { period: string; isRepeated?: boolean }[];
    };
    assert.deepEqual(
      times.slice(0, 4).map((one) => [one.period, one.isRepeated === true]),
      [
        ['2026-W43', false],
        ['2026-W44', false],
        ['2026-W44', true],
        ['2026-W45', false],
      ],
    );
    assert.ok((await plan('twice', '?period=2026-W43')).repeatedTimes!.repeated >= 4);
  });

  it('leaves the report’s own defaults in force, and says of each parameter where it comes from', async () => {
    await saved({ name: 'by-default', period: { unit: 'run' } });
    const planned = await plan('by-default');
    assert.deepEqual(
      planned.parameters.map((one) => [one.parameter, one.from, one.value]),
      [
        ['shop', 'list', 'shop'],
        ['period', 'default', '19\u2009–\u200925 Oct 2026'],
      ],
    );
    assert.equal(planned.entries[0]!.rows, 7);
    assert.deepEqual(days(await sample('by-default', 'csv')).at(-1), '2026-10-25');
    await saved({ name: 'by-default', period: { unit: 'run' }, parameters: { period: '2026-10-05/2026-10-06' } });
    const set = await plan('by-default');
    assert.deepEqual([set.parameters[1]!.from, set.entries[0]!.rows], ['burst', 2]);
    const wrong = [
      [{ parameters: { perod: '2026' } }, '/parameters/perod', 'period'],
      [{ parameters: { shop: 'S1' } }, '/parameters/shop', undefined],
    ] as const;
    for (const [change, pointer, nearest] of wrong) {
      const refused = await save({ name: 'by-default', period: { unit: 'run' }, ...change });
      assert.deepEqual([refused.body.pointer, refused.body.nearest?.[0]], [pointer, nearest], refused.text);
    }
  });

  it('keeps what its days in words count from, also when failed copies are made once more later', async () => {
    const { id } = await run('by-default');
    const { app } = small.house;
    await app.records.query(
      `UPDATE runs SET definition = definition - 'parameters' WHERE id = ${id};
       UPDATE bursts SET definition = definition - 'parameters' WHERE name = 'by-default';
       UPDATE deliveries SET state = 'failed' WHERE run_id = ${id} AND recipient = 'S1'`,
    );
    later = 14 * day;
    const again = await small.house.call('POST', `/api/v1/runs/${id}/retry`, { as: owner, body: {} });
    assert.equal(again.status, 202, again.text);
    const ledger = await small.house.finished((again.body as unknown as { id: number }).id, owner);
    later = 0;
    assert.deepEqual([ledger.counts.sent, ledger.entries[0]!.rows], [1, 7]);
  });

  it('moves the period that figures are compared with, on paper and in workbooks', async () => {
    await saved({ formats: ['pdf', 'xlsx'] });
    const pdf = await fetch(`${small.house.url}/api/v1/bursts/weekly/sample?recipient=S1&format=pdf&period=2026-W43`, {
      headers: { Authorization: `Bearer ${await small.house.keyOf(owner)}` },
    });
    const text = execFileSync('pdftotext', ['-layout', '-', '-'], {
      input: Buffer.from(await pdf.arrayBuffer()),
    }).toString();
    // 19 to 25 against 12 to 18: 154 against 105.
    assert.match(text, /▲ 46\.7 % more than 12\s–\s18 Oct 2026/);
    assert.match(text, /Shop S1, 19\s–\s25 Oct 2026/);
    assert.match(text, /For S1 · data as of/);
    assert.doesNotMatch(text, /\{param/);
    const book = await fetch(
      `${small.house.url}/api/v1/bursts/weekly/sample?recipient=S1&format=xlsx&period=2026-W43`,
      { headers: { Authorization: `Bearer ${await small.house.keyOf(owner)}` } },
    );
    const bytes = Buffer.from(await book.arrayBuffer());
    const sheet = async (name: string) =>
      (await readSheet(bytes, name)).map((row) =>
        row.map((cell) => (typeof cell === 'string' ? cell.replace(/\s/g, ' ') : cell)),
      );
    assert.deepEqual(await sheet('Guests'), [
      ['Guests', 'Guests, 12 – 18 Oct 2026'],
      [154, 105],
    ]);
    assert.deepEqual(await sheet('By shop'), [
      ['Shop', 'Guests', 'Guests, 12 – 18 Oct 2026'],
      ['S1', 154, 105],
    ]);
    // The reader's own page says the same.
    const view = await small.house.call('GET', '/api/v1/reports/visits/view?shop=S1&period=2026-W43', { as: owner });
    assert.match(view.text, /"before":\{"words":"12\s–\s18 Oct 2026","rows":\[\[105\]\]\}/);
    const none = await small.house.call('GET', '/api/v1/reports/visits/view?without=period', { as: owner });
    assert.match(none.text, /"notCompared":"not compared: no period is selected"/);
  });

  it('is planned by the same code that runs: what the sender is not shown refuses the plan', async () => {
    const mask = (as: object, effect: object) =>
      small.fine('PUT', '/api/v1/datasets/visits/masks/shy', { appliesTo: as, effect }, owner);
    const grants = ['dataset visits', 'report visits', 'list shops'];
    for (const thing of grants) {
      const [kind, name] = thing.split(' ') as [string, string];
      await small.fine(
        'PUT',
        '/api/v1/permissions',
        { holder: { kind: 'person', name: author }, thing: { kind, name }, level: 'export' },
        owner,
      );
    }
    const body = definition({ name: 'shy', formats: ['pdf'] });
    assert.equal((await small.house.call('PUT', '/api/v1/bursts', { as: author, body })).status, 200);
    await mask({ kind: 'person', name: author }, { kind: 'hide', column: 'guests' });
    for (const [method, path, sent] of [
      ['GET', '/api/v1/bursts/shy/preview?period=2026-W43', undefined],
      ['POST', '/api/v1/bursts/shy/runs', { period: '2026-W43' }],
      ['PUT', '/api/v1/bursts', body],
    ] as const) {
      const refused = await small.house.call(method, path, { as: author, ...(sent ? { body: sent } : {}) });
      assert.equal(refused.body.code, 'COLUMN_HIDDEN', `${method} ${path}: ${refused.text}`);
    }
    // Rows alone need no figure that is hidden.
    const rows = { ...body, formats: ['csv'], rows: { columns: ['day', 'shop'] } };
    assert.equal((await small.house.call('PUT', '/api/v1/bursts', { as: author, body: rows })).status, 200);
  });

  it('is skipped for nobody because of a figure that they are not sent', async () => {
    const csv = `shop,email\nS1,${reader}\n`;
    assert.equal((await small.house.call('PUT', '/api/v1/lists/readers?id=shop', { as: owner, csv })).status, 200);
    for (const [kind, name] of [
      ['dataset', 'visits'],
      ['report', 'visits'],
    ])
      await small.fine(
        'PUT',
        '/api/v1/permissions',
        { holder: { kind: 'person', name: reader }, thing: { kind, name }, level: 'view' },
        owner,
      );
    const appliesTo = { kind: 'person', name: reader };
    await small.fine(
      'PUT',
      '/api/v1/datasets/visits/masks/shy',
      { appliesTo, effect: { kind: 'hide', column: 'guests' } },
      owner,
    );
    const asSeen = { list: 'readers', asSeenBy: 'recipient', name: 'as-seen' };
    await saved({ ...asSeen, formats: ['csv'] });
    const rows = await plan('as-seen', '?period=2026-W43');
    assert.deepEqual([rows.entries[0]!.action, rows.counts.planned], ['send', 1], rows.entries[0]!.reason);
    assert.equal((await run('as-seen', { period: '2026-W43' })).counts.sent, 1);
    await saved({ ...asSeen, formats: ['csv', 'pdf'] });
    const page = await plan('as-seen', '?period=2026-W44');
    assert.match(page.entries[0]!.reason!, /no access to all data of the copy: .*“guests”/);
  });
});
