import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import pg from 'pg';
import { queryCache } from '../../src/dataset/index.ts';
import { House, manager, publisher } from '../house.ts';

type Cells = (string | number | boolean | null)[];
interface Result {
  readonly columns: { name: string; step?: string }[];
  readonly rows: Cells[];
  readonly isCut?: boolean;
  readonly sums?: { by: string[]; rows: Cells[] }[];
  readonly others?: Cells;
  readonly before?: { words: string; rows: Cells[] };
  readonly lines?: { label: string; value: number }[];
  readonly path?: { column: string; value: string }[];
  readonly refused?: { code: string };
}
interface View {
  readonly results: Record<string, Result>;
  readonly own?: string;
  readonly mayExport?: boolean;
  readonly taste: { locale: string };
  readonly parameters: { name: string; words?: string; isDefault?: boolean; isFixed: boolean }[];
}

describe('figures of every kind, against hand-written SQL', () => {
  let house: House;
  let company: pg.Client;
  before(async () => {
    house = await House.open({ hasDemo: true });
    const url = new URL(process.env['UNDERBELL_TEST_DATABASE']!);
    url.pathname = '/skerrow';
    company = new pg.Client({ connectionString: url.toString(), options: '-c timezone=UTC' });
    await company.connect();
  });
  after(async () => {
    await company.end();
    await house.close();
  });
  const view = async (
    report: string,
    query: string,
    as = publisher,
    headers: Record<string, string> = {},
  ): Promise<View> => {
    const { status, body, text } = await house.call('GET', `/api/v1/reports/${report}/view?${query}`, { as, headers });
    assert.equal(status, 200, text);
    return body as unknown as View;
  };
  const rows = async (sql: string, values: unknown[] = []) =>
    (await company.query<Cells>({ text: sql, values, rowMode: 'array' })).rows;
  const number = async (sql: string) => Number((await rows(sql))[0]![0]);
  const near = (found: unknown, wanted: number, what: string) =>
    assert.ok(
      Math.abs(Number(found) - wanted) < 1e-9 * Math.max(1, Math.abs(wanted)),
      `${what}: ${String(found)} is not ${wanted}`,
    );
  const october = "planned_departure >= '2026-10-01' AND planned_departure < '2026-11-01'";
  const delay = 'avg((extract(epoch FROM actual_departure - planned_departure) / 60)::numeric(6,1))';

  it('a number stands beside the period before', async () => {
    const { results, parameters } = await view('punctuality', '');
    const passengers = results['passengers']!;
    near(passengers.rows[0]![0], await number(`SELECT sum(passengers) FROM sailings WHERE ${october}`), 'October');
    near(
      passengers.before!.rows[0]![0],
      await number(
        "SELECT sum(passengers) FROM sailings WHERE planned_departure >= '2026-09-01' AND planned_departure < '2026-10-01'",
      ),
      'September',
    );
    assert.equal(passengers.before!.words, 'September 2026');
    assert.deepEqual(
      parameters.find((one) => one.name === 'period'),
      { ...parameters.find((one) => one.name === 'period')!, words: 'October 2026', isDefault: true, isFixed: false },
    );
  });

  it('others are what is beyond the limit, averaged anew', async () => {
    const { results } = await view('punctuality', 'page=vessels');
    const found = results['by-vessel']!;
    assert.equal(found.rows.length, 12);
    const names = found.rows.map((row) => String(row[0]));
    const [[wanted]] = (await rows(`SELECT ${delay} FROM sailings WHERE ${october} AND vessel <> ALL ($1)`, [
      names,
    ])) as [[number]];
    near(found.others![1], Number(wanted), 'others');
    near(
      found.lines![0]!.value,
      await number(`SELECT ${delay} FROM sailings WHERE ${october}`),
      'the line of the network',
    );
  });

  it('totals and sum lines are asked, never added up', async () => {
    const { results } = await view('punctuality', 'page=routes&period=2026-10');
    const { sums } = results['list']!;
    const share =
      "sum((actual_departure <= planned_departure + interval '5 minutes')::int)::numeric / sum((NOT cancelled)::int)";
    near(
      sums!.find((one) => one.by.length === 0)!.rows[0]![4],
      await number(`SELECT ${share} FROM sailings WHERE ${october}`),
      'total',
    );
    const wanted = await rows(
      `SELECT q.district, ${share} FROM sailings JOIN quays q USING (quay_id) WHERE ${october} GROUP BY 1 ORDER BY 1`,
    );
    const found = sums!.find((one) => one.by.length === 1)!.rows;
    wanted.forEach((row, i) => {
      assert.equal(found[i]![0], row[0]);
      near(found[i]![4], Number(row[1]), String(row[0]));
    });
  });

  it('a crosstab gathers days into weeks', async () => {
    const { results } = await view('punctuality', '');
    const found = results['weeks']!;
    assert.equal(found.columns[1]!.step, 'week');
    const weeks = await rows(
      `SELECT DISTINCT to_char(date_trunc('week', planned_departure), 'YYYY-MM-DD') FROM sailings WHERE ${october} ORDER BY 1`,
    );
    assert.deepEqual(
      [...new Set(found.rows.map((row) => row[1]))].sort(),
      weeks.map((row) => row[0]),
    );
    assert.equal(found.sums!.length, 3);
  });

  it('a mark that is opened limits its figure alone', async () => {
    const whole = await view('punctuality', '');
    const opened = await view('punctuality', 'drill=by-district:Northing');
    assert.deepEqual(opened.results['passengers']!.rows, whole.results['passengers']!.rows);
    assert.deepEqual(opened.results['by-district']!.path, [{ column: 'district', value: 'Northing' }]);
    const quays = await rows(
      `SELECT DISTINCT q.name FROM sailings JOIN quays q USING (quay_id) WHERE ${october} AND q.district = 'Northing' ORDER BY 1`,
    );
    assert.deepEqual(
      opened.results['by-district']!.rows.map((row) => row[0]).sort(),
      quays.map((row) => row[0]).sort(),
    );
    const { status } = await house.call('GET', '/api/v1/reports/punctuality/view?drill=by-day:2026-10-01', {
      as: publisher,
    });
    assert.equal(status, 400);
  });

  it('a picked mark limits the others, by key across datasets, and can be carried on as a filter', async () => {
    const picked = await view('takings', 'choose=by-quay:Vaskin%20Sands');
    near(
      picked.results['takings']!.rows[0]![0],
      await number(
        "SELECT sum(takings) FROM kiosk_takings JOIN quays USING (quay_id) WHERE name = 'Vaskin Sands' AND taken_on >= '2026-10-01'",
      ),
      'takings',
    );
    assert.equal(picked.own, "quay_name = 'Vaskin Sands'");
    const carried = await view('takings', `where=${encodeURIComponent(picked.own)}`);
    assert.deepEqual(carried.results['takings']!.rows, picked.results['takings']!.rows);
    const week = await view('punctuality', 'page=routes&choose=small:2026-10-05');
    assert.equal(week.own, "sailed_on BETWEEN DATE('2026-10-05') AND DATE('2026-10-11')");
  });

  it('a filter that fits one dataset of a page refuses only the figures of the other; one that fits none refuses all', async () => {
    const { results } = await view('takings', 'where=receipts%20%3E%20100');
    assert.equal(results['fares']!.refused?.code, 'FILTER_UNKNOWN_COLUMN');
    assert.equal(results['takings']!.refused, undefined);
    const { status, body } = await house.call('GET', '/api/v1/reports/takings/view?where=recepts%20%3E%20100', {
      as: publisher,
    });
    assert.deepEqual([status, body['code']], [400, 'FILTER_UNKNOWN_COLUMN']);
  });

  it('a window of a long table goes on where the last one ended, in the order that the reader wants', async () => {
    const { results } = await view('punctuality', 'page=sailings');
    assert.equal(results['all']!.isCut, true);
    const window = async (from: number, sort?: object) => {
      const { status, body, text } = await house.call('POST', '/api/v1/reports/punctuality/rows', {
        as: publisher,
        body: { page: 'sailings', figure: 'all', from, count: 200, ...(sort ? { sort } : {}) },
      });
      assert.equal(status, 200, text);
      return body as unknown as { rows: Cells[]; total: number };
    };
    const first = await window(0);
    assert.deepEqual(first.rows, results['all']!.rows);
    assert.equal(first.total, await number(`SELECT count(*) FROM sailings WHERE ${october}`));
    const next = await window(150);
    assert.deepEqual(next.rows[0], first.rows[150]);
    const sorted = await window(0, { by: 'passengers', descending: true });
    assert.equal(sorted.rows[0]![5], await number(`SELECT max(passengers) FROM sailings WHERE ${october}`));
    const wrong = await house.call('POST', '/api/v1/reports/punctuality/rows', {
      as: publisher,
      body: { page: 'sailings', figure: 'all', sort: { by: 'fares' } },
    });
    assert.equal(wrong.status, 400);
  });

  it('numbers and dates follow the reader’s language', async () => {
    assert.equal(
      (await view('punctuality', '', publisher, { 'Accept-Language': 'xx, de-AT;q=0.8' })).taste.locale,
      'de-AT',
    );
    assert.equal((await view('punctuality', '', publisher, { 'Accept-Language': '!!' })).taste.locale, 'en-GB');
    assert.equal(
      (await view('punctuality', '', publisher, { 'Accept-Language': 'de' })).parameters.find(
        (one) => one.name === 'period',
      )?.words,
      'Oktober 2026',
    );
  });

  describe('values to choose from', () => {
    const values = async (body: object, as = publisher) => {
      const answer = await house.call('POST', '/api/v1/reports/punctuality/parameter-values', { as, body });
      assert.equal(answer.status, 200, answer.text);
      return (answer.body as unknown as { values: { value: string; words: string }[] }).values;
    };
    it('carry their words, and are narrowed by the parameters that they lie within', async () => {
      const all = await values({ parameter: 'quay' });
      const some = await values({ parameter: 'quay', parameters: { district: ['Northing'] } });
      assert.ok(some.length > 0 && some.length < all.length);
      assert.equal(all.find((one) => one.value === 'Q020')?.words, 'Vaskin Sands');
      assert.deepEqual(
        (await values({ parameter: 'quay', search: 'vaskin s' })).map((one) => one.value),
        ['Q020'],
      );
    });
    it('are only those that the reader may see', async () => {
      assert.deepEqual(
        (await values({ parameter: 'quay' }, manager)).map((one) => one.value),
        ['Q017'],
      );
    });
  });

  describe('taking figures away', () => {
    const take = (body: object, as = publisher) =>
      house.call('POST', '/api/v1/reports/punctuality/export', { as, body });
    it('needs the right to export, which looking does not', async () => {
      const { status, body } = await take({ format: 'csv', figure: 'by-district' }, manager);
      assert.deepEqual([status, body['code']], [403, 'NOT_ALLOWED']);
      assert.equal((await view('punctuality', '', manager)).mayExport, undefined);
      assert.equal((await view('punctuality', '')).mayExport, true);
    });
    it('gives a figure as CSV with all its rows, and a page as workbook, picture and document', async () => {
      const csv = await take({ page: 'sailings', format: 'csv', figure: 'all' });
      assert.equal(
        csv.text.trim().split('\r\n').length,
        1 + (await number(`SELECT count(*) FROM sailings WHERE ${october}`)),
      );
      assert.match(csv.text, /^Planned departure,Quay name/);
      for (const [format, start] of [
        ['xlsx', 'PK'],
        ['png', '\u0089PNG'.slice(1)],
        ['pdf', '%PDF'],
      ] as const) {
        const { status, text } = await take({ format });
        assert.equal(status, 200, text.slice(0, 200));
        assert.ok(text.slice(0, 8).includes(start), format);
      }
      assert.equal((await take({ format: 'csv' })).status, 400);
    });
  });

  describe('the query cache', () => {
    it('answers equal questions of different people from one query', async () => {
      const cache = queryCache(house.app);
      const { misses } = cache.counts;
      const ask = () => view('berth-works', 'kind=ramp');
      await Promise.all(Array.from({ length: 8 }, ask));
      const asked = cache.counts.misses - misses;
      const again = cache.counts;
      await view('berth-works', 'kind=ramp');
      assert.equal(cache.counts.misses, again.misses);
      assert.ok(asked <= 9, `${asked} queries for a page of 6 data figures, asked 8 times at once`);
      assert.ok(cache.counts.bytes > 0 && cache.counts.bytes <= house.app.settings.cacheBytes);
    });
    it('never gives one reader the answer to another’s filter', async () => {
      const mine = await view('punctuality', '', manager);
      const all = await view('punctuality', '');
      assert.notDeepEqual(mine.results['passengers']!.rows, all.results['passengers']!.rows);
      near(
        mine.results['passengers']!.rows[0]![0],
        await number(`SELECT sum(passengers) FROM sailings WHERE ${october} AND quay_id = 'Q017'`),
        'Q017',
      );
    });
  });
});
