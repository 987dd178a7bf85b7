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

describe('the meter', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());

  const administrator = 'osric.hale@skerrow.example';
  const ask = (query: string, as = administrator) => house.call('GET', `/api/v1/meter?${query}`, { as });
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
    const sums = await metered('by=format&burst=kiosk-takings', (found) => found.length === 2);
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
});
