import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { PlannedRefresh } from '@underbell/core/dataset';
import { House, publisher } from '../house.ts';

describe('refreshes in one place', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true, now: () => Date.parse('2026-11-23T09:00:00Z') });
  });
  after(() => house.close());
  const list = async (as = publisher) =>
    ((await house.call('GET', '/api/v1/refreshes', { as })).body as unknown as { refreshes: PlannedRefresh[] })
      .refreshes;

  it('say the next times, what came of the last load, and whether an address brings one', async () => {
    const schedule = { rule: 'FREQ=DAILY;BYHOUR=6;BYMINUTE=0', start: '2026-11-01T06:00', timeZone: 'UTC' };
    const saved = await house.call('PUT', '/api/v1/datasets/sailings/schedule', { as: publisher, body: { schedule } });
    assert.equal(saved.status, 200, saved.text);
    await house.call('POST', '/api/v1/datasets/sailings/webhook', { as: publisher, body: {} });
    const found = (await list()).find((one) => one.name === 'sailings')!;
    assert.deepEqual(found.next, ['2026-11-24T06:00:00.000Z', '2026-11-25T06:00:00.000Z', '2026-11-26T06:00:00.000Z']);
    assert.deepEqual([found.kind, found.hasHook, found.last?.state], ['snapshot', true, 'ready']);
    assert.ok(found.last!.rows > 1000);
    assert.equal(found.loading, undefined);
  });

  it('are told to those who may change the dataset', async () => {
    assert.deepEqual(await list('quay17@skerrow.example'), []);
  });
});
