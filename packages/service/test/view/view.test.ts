import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import pg from 'pg';
import { House, publisher } from '../house.ts';

type Cells = (string | number | boolean | null)[];
type Results = Record<string, { columns: { name: string }[]; rows: Cells[] }>;

describe("figures, against hand-written SQL on the company's own database", () => {
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
  const view = async (query: string) => {
    const { status, body, text } = await house.call('GET', `/api/v1/reports/quay-punctuality/view?${query}`, {
      as: publisher,
    });
    assert.equal(status, 200, text);
    return (body as unknown as { results: Results }).results;
  };
  const rows = async (sql: string, values: string[]) =>
    (await company.query<Cells>({ text: sql, values, rowMode: 'array' })).rows;
  const close = (found: Cells[], expected: Cells[], what: string) => {
    assert.equal(found.length, expected.length, what);
    found.forEach((row, i) =>
      row.forEach((cell, j) => {
        const wanted = expected[i]![j]!;
        if (typeof cell === 'number')
          assert.ok(
            Math.abs(cell - Number(wanted)) < 1e-9 * Math.max(1, Math.abs(cell)),
            `${what}: ${cell} is not ${String(wanted)}`,
          );
        else assert.equal(cell, wanted, what);
      }),
    );
  };
  const onTime =
    "sum((actual_departure <= planned_departure + interval '5 minutes')::int)::numeric / nullif(sum((NOT cancelled)::int), 0)";
  const lateness = 'avg((extract(epoch FROM actual_departure - planned_departure) / 60)::numeric(6,1))';

  for (const [quay, month] of [
    ['Q017', '2026-10-01'],
    ['Q003', '2026-09-01'],
    ['Q001', '2026-08-01'],
    ['Q005', '2026-10-01'],
  ] as const) {
    it(`are right for ${quay} in ${month.slice(0, 7)}`, async () => {
      const results = await view(`quay=${quay}&month=${month}`);
      const where = "quay_id = $1 AND date_trunc('month', planned_departure) = $2::timestamptz";
      const values = [quay, `${month}T00:00:00Z`];
      const [numbers] = await rows(
        `SELECT ${onTime}, count(*), ${lateness}, sum(cancelled::int), sum(cancelled::int)::numeric / nullif(count(*), 0), sum(passengers), sum(vehicles) FROM sailings WHERE ${where}`,
        values,
      );
      const found = [
        ...results['on-time']!.rows[0]!,
        ...results['delay']!.rows[0]!,
        ...results['cancellations']!.rows[0]!,
        ...results['passengers']!.rows[0]!,
      ];
      assert.equal(found.length, 7);
      found.forEach((cell, i) => {
        const wanted = numbers![i];
        if (cell === null || wanted === null) assert.equal(cell, wanted, `number ${i}`);
        else
          assert.ok(
            Math.abs(Number(cell) - Number(wanted)) < 1e-9 * Math.max(1, Number(wanted)),
            `number ${i}: ${cell} is not ${String(wanted)}`,
          );
      });
      close(
        results['by-route']!.rows,
        await rows(
          `SELECT r.name, ${onTime} FROM sailings JOIN routes r USING (route_id) WHERE ${where} GROUP BY 1 ORDER BY 2 DESC NULLS LAST, r.name COLLATE "C"`,
          values,
        ),
        'by route',
      );
      close(
        results['by-day']!.rows,
        await rows(
          `SELECT to_char(planned_departure, 'YYYY-MM-DD'), ${onTime} FROM sailings WHERE ${where} GROUP BY 1 ORDER BY 1`,
          values,
        ),
        'by day',
      );
      close(
        results['by-vessel']!.rows,
        await rows(
          `SELECT r.name, vessel, count(*), ${onTime}, ${lateness}, sum(cancelled::int), sum(passengers), sum(fares) FROM sailings JOIN routes r USING (route_id) WHERE ${where}
           GROUP BY 1, 2 ORDER BY 5 DESC NULLS LAST, r.name COLLATE "C", vessel COLLATE "C"`,
          values,
        ),
        'by vessel',
      );
    });
  }

  it('say the same in the PDF of a burst as on the screen', async () => {
    const { body } = await house.call('POST', '/api/v1/bursts/quay-pack/runs', {
      as: publisher,
      body: { period: '2026-10' },
    });
    await house.finished((body as unknown as { id: number }).id, publisher);
    const results = await view('quay=Q017&month=2026-10-01');
    const mail = house.mail.mails.find((one) => one.to.includes('quay17@skerrow.example'))!;
    const file = (await house.mail.parse(mail)).attachments.find((one) => one.filename!.endsWith('.pdf'))!;
    const path = join(house.folder, 'copy.pdf');
    writeFileSync(path, file.content);
    const text = execFileSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' });
    const [share, count] = results['on-time']!.rows[0] as [number, number];
    assert.match(text, new RegExp(`${(share * 100).toFixed(1)} %`));
    assert.match(text, new RegExp(`Sailings ${count}`));
    assert.match(text, /Month is October 2026 · quay is Q017/);
    for (const [route, vessel] of results['by-vessel']!.rows as [string, string][])
      assert.match(text, new RegExp(`${route}\\s+${vessel}`));
    assert.match(text, /1\s*\/\s*1/);
    const fonts = execFileSync('pdffonts', [path], { encoding: 'utf8' });
    assert.match(fonts, /SourceSans3-Regular .* yes yes/);
  });

  it('narrow by a picked bar as a filter would', async () => {
    const [route] = (await view('quay=Q017'))['by-route']!.rows[0] as [string];
    const picked = await view(`quay=Q017&choose=${encodeURIComponent(`by-route:${route}`)}`);
    const filtered = await view(`quay=Q017&where=${encodeURIComponent(`route_name = '${route}'`)}`);
    for (const name of ['on-time', 'delay', 'by-day', 'by-vessel'])
      assert.deepEqual(picked[name], filtered[name], name);
    assert.notDeepEqual(picked['by-route'], filtered['by-route']);
  });
});
