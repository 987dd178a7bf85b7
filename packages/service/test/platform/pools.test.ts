import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { isRefusal } from '@underbell/core/refusal';
import { openPool } from '../../src/platform/pool.ts';
import { House } from '../house.ts';
import { author, owner, root, SmallHouse, someWorks } from '../smallHouse.ts';

describe('an installation with one connection of each kind', { timeout: 120_000 }, () => {
  let small: SmallHouse;
  const one = (kind: string) => [`UNDERBELL_${kind}_CONNECTIONS`, '1'] as const;
  before(async () => {
    const environment = Object.fromEntries(['READER', 'DOWNLOAD', 'PLANNED', 'RECORD', 'SESSION'].map(one));
    small = await SmallHouse.open({ environment });
  });
  after(() => small.close());
  const ready = () => small.house.call('GET', '/health/ready');

  it('does everything: nobody holds one and waits for a second', async () => {
    const { app } = small.house;
    assert.deepEqual(new Set(Object.values(app.settings.connections)), new Set([1]));
    // Often enough that there are revisions to drop.
    for (let i = 0; i < 5; i++) await small.upload(someWorks.slice(0, 10 + i));
    const fine = async (method: string, path: string, body?: object, as = author) =>
      small.fine(method, `/api/v1/${path}`, body, as);
    await fine('GET', 'reports/works/view');
    await fine('GET', 'datasets/works/rows?format=csv', undefined, owner);
    await fine('GET', 'datasets/works/profile', undefined, owner);
    await fine('PUT', 'datasets/works/rules/more', { appliesTo: { kind: 'everyone' }, where: 'cost > 0' }, owner);
    await fine('PUT', 'placements/page', { kind: 'portal', title: 'Works', report: 'works', origins: [] }, owner);
    await fine('PUT', 'reports/works/name', { name: 'works-now' });
    await fine('GET', 'placements/page/view');
    await fine('POST', 'reports/works-now/export', { figure: 'rows', format: 'xlsx' });
    await fine('PUT', `people/${author}`, { attributes: { quay: ['Q2'] } }, root);
    await fine('GET', 'audit', undefined, root);
    await Promise.all(Array.from({ length: 8 }, () => fine('GET', 'placements/page/view')));
    assert.equal((await ready()).status, 200);
  });

  it('loads four files at once, and answers meanwhile', async () => {
    const csv = ['id,quay', ...someWorks.map((work) => `${work.id},${work.quay}`)].join('\n');
    const load = (name: string) => small.house.call('PUT', `/api/v1/datasets/${name}/file`, { as: owner, csv });
    for (let turn = 0; turn < 4; turn++) {
      const loads = ['a', 'b', 'c', 'd'].map(load);
      assert.equal((await ready()).status, 200);
      for (const answer of await Promise.all(loads)) assert.equal(answer.status, 200, answer.text);
    }
  });

  it('says so where a kind of connection does not become free, and is ready again once it does', async () => {
    const { app } = small.house;
    const held = await app.lanes.readers.connect();
    const busy = await ready();
    assert.deepEqual([busy.status, busy.body['reason']], [503, 'not ready: readers']);
    assert.ok(Number(busy.headers.get('retry-after')) > 0);
    held.release();
    assert.equal((await ready()).status, 200);
  });
});

describe('a pool of connections', () => {
  let house: House;
  before(async () => (house = await House.open()));
  after(() => house.close());

  it('keeps nobody waiting for good, says what is wrong, and takes the next who come', async () => {
    const pool = openPool({
      connectionString: house.app.settings.databaseUrl,
      max: 1,
      connectionTimeoutMillis: 200,
    });
    try {
      const held = await pool.connect();
      for (const ask of [() => pool.connect(), () => pool.query('SELECT 1')]) {
        await assert.rejects(ask as () => Promise<unknown>, (error) => isRefusal(error, 'DATABASE_BUSY'));
        assert.equal(pool.isStuck, true);
      }
      held.release();
      assert.equal((await pool.query<{ one: number }>('SELECT 1 AS one')).rows[0]!.one, 1);
      assert.equal(pool.isStuck, false);
    } finally {
      await pool.end();
    }
  });
});
