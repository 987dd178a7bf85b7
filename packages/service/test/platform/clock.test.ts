import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { Clock } from '../../src/platform/clock.ts';
import { forgetSpent } from '../../src/platform/index.ts';
import { startWorker } from '../../src/server.ts';
import { House, until } from '../house.ts';

const day = 86_400_000;

describe('the clock', () => {
  it("is the database's, whatever the process's shows", async () => {
    const clock = new Clock(() => Date.now() - 40 * day);
    const shown = Date.now() + 3 * day;
    const asked = performance.now();
    await clock.read(async () => shown);
    assert.ok(Math.abs(clock.now() - shown - (performance.now() - asked)) < 1_000);
    assert.ok(Math.abs(clock.offMs + 43 * day) < 1_000);
    assert.equal(clock.isTrusted, false);
  });

  it('is corrected only where it cannot be right: a slow answer moves it by no more than that', async () => {
    const clock = new Clock();
    const before = clock.now();
    // It was asked somewhere within these milliseconds: what is known fits.
    await clock.read(async () => {
      const shown = Date.now();
      await new Promise((resolve) => setTimeout(resolve, 20));
      return shown;
    });
    assert.ok(clock.now() >= before);
    assert.equal(clock.isTrusted, true);
    assert.ok(Math.abs(clock.now() - Date.now()) < 1_000);
  });
});

describe('a process whose clock is wrong', () => {
  let house: House;
  let offMs = 40 * day;
  before(async () => (house = await House.open({ clock: () => Date.now() + offMs })));
  after(() => house.close());
  const processes = async () =>
    (await house.app.records.query('SELECT clock_off_ms, is_worker FROM processes'))[0] as {
      clock_off_ms: string;
      is_worker: boolean;
    }[];

  it('goes by the clock of the database, says how far its own is off, and does no timed work until it is right', async () => {
    const { app } = house;
    assert.ok(Math.abs(app.now() - Date.now()) < 5_000, 'not forty days ahead');
    await app.records.query(
      `INSERT INTO used_once (key, expires_at) VALUES ('tomorrow', now() + interval '1 day'), ('yesterday', now() - interval '1 day')`,
    );
    const kept = async () =>
      ((await app.records.query('SELECT key FROM used_once ORDER BY key'))[0] as { key: string }[]).map(
        (one) => one.key,
      );
    await forgetSpent(app);
    assert.deepEqual(await kept(), ['tomorrow'], 'what is over is told by the clock of the database');

    const worker = startWorker(app);
    let turns = 0;
    worker.every(5, async () => void turns++);
    try {
      await until(async () => (await processes()).some((one) => one.is_worker));
      const [own] = await processes();
      assert.ok(Math.abs(Number(own!.clock_off_ms) - offMs) < 60_000, JSON.stringify(own));
      assert.equal(turns, 0);
      offMs = 0;
      await until(() => turns > 0);
    } finally {
      await worker.stop();
    }
  });
});
