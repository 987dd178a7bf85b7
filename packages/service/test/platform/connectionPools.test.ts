import assert from 'node:assert/strict';
import { setTimeout } from 'node:timers/promises';
import { after, before, describe, it } from 'node:test';
import { closeApp, hasActiveReaders } from '../../src/platform/index.ts';
import { openService } from '../../src/service.ts';
import { House, until } from '../house.ts';

describe('the lanes', () => {
  let house: House;
  before(async () => {
    house = await House.open();
  });
  after(() => house.close());

  it('tell whether people are looking, whichever process answers them, and forget it soon', async () => {
    const { app } = house;
    assert.equal(await hasActiveReaders(app.records), false);
    await app.lanes.planned.query('SELECT 1');
    assert.equal(await hasActiveReaders(app.records), false, 'planned work is nobody who looks');
    const other = openService(app.settings, app.log);
    try {
      await other.lanes.readers.query('SELECT 1');
      assert.equal(await hasActiveReaders(app.records), true);
      await until(async () => !(await hasActiveReaders(app.records)));
      // One that takes long is looking for as long as it lasts: here until it is told to end.
      const slow = other.lanes.readers.query('SELECT pg_sleep(600)');
      slow.catch(() => undefined);
      await setTimeout(3_500);
      assert.equal(await hasActiveReaders(app.records), true);
      await house.cutConnections();
      await assert.rejects(slow);
    } finally {
      await closeApp(other);
    }
  });
});
