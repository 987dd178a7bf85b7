import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { House, publisher, until } from '../house.ts';

interface Sums {
  readonly sums: {
    name: string;
    times: number;
    rows: number;
    bytes: number;
    renderMs: number;
    hitShare: number | null;
  }[];
}

interface OverTime {
  readonly names: string[];
  readonly stretches: { at: string; sums: Record<string, { times: number; seconds: number; bytes: number }> }[];
}

describe('the meter', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());

  const administrator = 'osric.hale@skerrow.example';
  const ask = (query: string, as = administrator) => house.call('GET', `/api/v1/usage?${query}`, { as });
  /** Entries are written a second after the fact. */
  const metered = (query: string, isThere: (sums: Sums['sums']) => boolean): Promise<Sums['sums']> =>
    until(async () => {
      const { sums } = (await ask(query)).body as unknown as Sums;
      return isThere(sums) && sums;
    });

  it('counts views by report and person, and what the cache answered', async () => {
    for (let i = 0; i < 3; i++)
      assert.equal(
        (await house.call('GET', '/api/v1/reports/quay-punctuality/view', { as: 'quay17@skerrow.example' })).status,
        200,
      );
    const [person] = await metered('by=person&report=quay-punctuality', (sums) => sums[0]?.times === 3);
    assert.deepEqual([person!.name, person!.times], ['quay17@skerrow.example', 3]);
    assert.ok(person!.rows > 0, 'rows are counted');
    assert.ok(person!.hitShare! > 0.5, 'the second and third were answered from the cache');
  });

  it('sets the formats of a burst side by side', async () => {
    const { id } = (
      await house.call('POST', '/api/v1/bursts/kiosk-takings/runs', {
        as: publisher,
        body: { period: '2026-10', only: ['Q001', 'Q002'] },
      })
    ).body as unknown as { id: number };
    await house.finished(id, publisher);
    const sums = await metered(
      'by=format&burst=kiosk-takings',
      (found) => found.map((one) => one.times).join() === '2,2',
    );
    assert.deepEqual(sums.map((one) => one.name).sort(), ['csv', 'xlsx']);
    for (const { times, rows, bytes, renderMs } of sums) {
      assert.deepEqual([times, rows], [2, 62]);
      assert.ok(bytes > 0 && renderMs > 0, 'bytes and time are counted');
    }
  });

  it('counts refreshes, by day too', async () => {
    const kinds = await metered('by=kind', (sums) => sums.some((one) => one.name === 'refresh'));
    assert.ok(kinds.find((one) => one.name === 'refresh')!.rows >= 6000);
    const [day] = (await ask('by=day')).body['sums' as never] as unknown as Sums['sums'];
    assert.match(day!.name, /^\d{4}-\d{2}-\d{2}$/);
  });

  it('is for administrators, and for whoever may change what they ask about', async () => {
    assert.equal((await ask('by=person', publisher)).body.code, 'NOT_ALLOWED');
    assert.equal((await ask('by=format&burst=kiosk-takings', publisher)).status, 200);
    assert.equal((await ask('by=person&report=quay-punctuality', 'quay17@skerrow.example')).status, 403);
    assert.equal((await ask('by=people')).body.code, 'INPUT_INVALID');
  });

  it('draws costs along time: every stretch, the dearest told apart, all of it in the sums', async () => {
    const { app } = house;
    await app.records
      .query(`INSERT INTO meter (kind, lane, report, at, row_count, query_ms, render_ms, cpu_ms, bytes, hits, misses, is_live)
      SELECT 'view', 'readers', 'r' || n, timestamptz '2026-03-01 23:30+00' + (n % 3) * interval '1 day', 1, n * 1000, 0, 0, 10, 0, 1, false
      FROM generate_series(1, 12) AS n`);
    const over = async (query: string, as = administrator) =>
      house.call('GET', `/api/v1/usage/over-time?${query}`, { as });
    const span = 'from=2026-03-01T00:00:00Z&to=2026-03-06T00:00:00Z';
    const days = (await over(`per=day&by=report&${span}`)).body as unknown as OverTime;
    assert.deepEqual(
      days.stretches.map((one) => one.at),
      ['2026-03-01', '2026-03-02', '2026-03-03', '2026-03-04', '2026-03-05', '2026-03-06'],
      'also those in which nothing happened',
    );
    assert.deepEqual(days.names, ['r12', 'r11', 'r10', 'r9', 'r8', 'r7', 'r6', 'others']);
    const seconds = days.stretches.flatMap((one) => Object.values(one.sums)).reduce((sum, one) => sum + one.seconds, 0);
    assert.equal(seconds, 78, 'nothing is lost among the others');
    assert.deepEqual(days.stretches[3]!.sums, {});
    const months = (await over(`per=month&by=kind&${span}`)).body as unknown as OverTime;
    assert.deepEqual(months.stretches, [{ at: '2026-03', sums: { view: { times: 12, seconds: 78, bytes: 120 } } }]);
    assert.equal((await over('per=hour&from=2020-01-01')).body.code, 'INPUT_INVALID');
    assert.equal((await over(span, publisher)).body.code, 'NOT_ALLOWED');
    assert.equal((await over(`report=quay-punctuality&${span}`, 'quay17@skerrow.example')).body.code, 'NOT_ALLOWED');
    assert.equal((await over("by=kind'--")).body.code, 'INPUT_INVALID');
  });
});
