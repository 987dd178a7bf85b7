import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { CostSum, ShownCostLimit } from '@underbell/core/usage';
import type { ShownPlan } from '@underbell/core/burst/apiTypes';
import { warnOfCosts } from '../../src/usage/index.ts';
import { administrator, House, publisher, until } from '../house.ts';

/** Where the demo's report lies. */
const folder = 'operations';
const quayManager = 'quay17@skerrow.example';

describe('limits of costs', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
    await house.call('PUT', '/api/v1/datasets/sailings/folder?confirmed=true', {
      as: administrator,
      body: { folder },
    });
  });
  after(() => house.close());

  const put = (limit: object, as = administrator) => house.call('PUT', '/api/v1/usage-limits', { as, body: limit });
  const limits = async () =>
    (
      (await house.call('GET', '/api/v1/usage-limits', { as: administrator })).body as unknown as {
        limits: ShownCostLimit[];
      }
    ).limits;
  const run = (burst: string) =>
    house.call('POST', `/api/v1/bursts/${burst}/runs`, { as: publisher, body: { period: '2026-10' } });
  const plan = async (burst: string, query = 'period=2026-10') =>
    (await house.call('GET', `/api/v1/bursts/${burst}/preview?${query}`, { as: publisher }))
      .body as unknown as ShownPlan;
  /** What was written down a moment ago stands in the records a second later. */
  const sums = (by: string) =>
    until(async () => {
      const { body } = await house.call('GET', `/api/v1/usage?by=${by}&burst=quay-pack`, { as: administrator });
      const found = (body as unknown as { sums: CostSum[] }).sums;
      return found.length > 1 && found.every((one) => one.times === 46) ? found : undefined;
    });

  it('are set by those who own the folder, and by nobody else', async () => {
    assert.equal((await put({ folder, per: 'day', warnSeconds: 0.001 }, quayManager)).status, 403);
    assert.equal((await put({ folder: 'nowhere', per: 'day', warnSeconds: 1 })).status, 404);
    const odd = await put({ folder, per: 'day', warnSeconds: 5, stopSeconds: 5 });
    assert.deepEqual([odd.status, odd.body.code], [400, 'INPUT_INVALID']);
    assert.equal((await put({ folder, per: 'day', warnSeconds: 1_000 })).status, 200);
    assert.deepEqual(
      (await limits()).map((one) => [one.folder, one.state, one.warnSeconds]),
      [[folder, 'fine', 1_000]],
    );
  });

  it('warn their owners once, then keep planned work from starting; readers go on', async () => {
    // Nothing was ever made here: that is said rather than counted as nothing.
    assert.deepEqual((await plan('quay-pack')).costs.unknown, ['pdf', 'csv']);
    const first = await run('quay-pack');
    assert.equal(first.status, 202, first.text);
    await house.finished((first.body as unknown as { id: number }).id, publisher);
    const byFormat = await sums('format');
    assert.deepEqual(byFormat.map((one) => [one.name, one.times]).sort(), [
      ['csv', 46],
      ['pdf', 46],
    ]);
    for (const one of byFormat)
      assert.ok(one.queryMs > 0 && one.cpuMs > 0 && one.rows > 0 && one.bytes > 0, JSON.stringify(one));

    assert.equal((await put({ folder, per: 'day', warnSeconds: 0.001 })).status, 200);
    const from = house.mail.mails.length;
    await warnOfCosts(house.app);
    await warnOfCosts(house.app);
    const letter = await until(async () => house.mail.mails.at(from));
    assert.match((await house.mail.parse(letter)).subject!, /^Usage limit near: folder/);
    const jobs = (await house.app.records.query(
      `SELECT count(DISTINCT payload->>'to')::int AS people, count(*)::int AS letters FROM jobs WHERE kind = 'notice.mail' AND payload->>'subject' LIKE 'Usage limit%'`,
    )) as unknown as [{ people: number; letters: number }[]];
    assert.equal(jobs[0][0]!.letters, jobs[0][0]!.people, 'nobody is told twice');

    assert.equal((await put({ folder, per: 'day', warnSeconds: 0.001, stopSeconds: 0.002 })).status, 200);
    const planned = await plan('quay-pack');
    assert.deepEqual(
      planned.costs.limits.map((one) => [one.folder, one.state]),
      [[folder, 'stopped']],
    );
    const refused = await run('quay-rows');
    assert.deepEqual([refused.status, refused.body.code], [409, 'USAGE_LIMIT'], refused.text);
    assert.match(refused.body.hint!, /tomorrow/);
    const refresh = await house.call('POST', '/api/v1/datasets/sailings/refresh', { as: publisher, body: {} });
    assert.deepEqual([refresh.status, refresh.body.code], [409, 'USAGE_LIMIT'], refresh.text);
    const look = await house.call('GET', '/api/v1/reports/quay-punctuality', { as: publisher });
    assert.equal(look.status, 200, 'readers are never stopped');

    assert.equal((await house.call('DELETE', `/api/v1/usage-limits/${folder}`, { as: administrator })).status, 204);
    assert.deepEqual(await limits(), []);
    const again = await run('quay-rows');
    assert.equal(again.status, 202, again.text);
    await house.finished((again.body as unknown as { id: number }).id, publisher);
  });

  it('stand beside what a plan expects from what copies cost so far', async () => {
    const { costs } = await plan('quay-pack', 'period=2026-10&again=true');
    assert.deepEqual(costs.unknown, []);
    assert.ok(costs.computingMs > 0 && costs.bytes > 0 && costs.rowsRead > 0, JSON.stringify(costs));
  });
});
