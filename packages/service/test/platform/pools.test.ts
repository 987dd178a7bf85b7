import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { isRefusal } from '@underbell/core/refusal';
import { connectionsGiven, mostConnections } from '../../src/platform/processes.sql.ts';
import { joinInstallation } from '../../src/platform/heartbeat.ts';
import { querySql, type App } from '../../src/platform/index.ts';
import { openPool } from '../../src/platform/pool.ts';
import { acquireSlot } from '../../src/deliver/rateLimit.sql.ts';
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
    await fine('PUT', 'datasets/works/row-rules/more', { appliesTo: { kind: 'everyone' }, where: 'cost > 0' }, owner);
    await fine('PUT', 'placements/page', { kind: 'portal', title: 'Works', report: 'works', origins: [] }, owner);
    await fine('PUT', 'reports/works/name', { name: 'works-now' });
    await fine('GET', 'placements/page/view');
    await fine('POST', 'reports/works-now/export', { figure: 'rows', format: 'xlsx' });
    await fine('PUT', `users/${author}`, { attributes: { quay: ['Q2'] } }, root);
    await fine('GET', 'audit-log', undefined, root);
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

describe('a process that stands still', () => {
  let house: House;
  before(async () => (house = await House.open({ environment: { UNDERBELL_TRANSACTION_IDLE_SECONDS: '1' } })));
  after(() => house.close());

  it('loses its transaction, so that its destination takes the next copy', async () => {
    const { app } = house;
    await querySql(app, `UPDATE destinations SET parallel = 1 WHERE name = 'mail'`);
    let isFrozen: () => void = () => undefined;
    let goOn: () => void = () => undefined;
    const frozen = new Promise<void>((resolve) => (isFrozen = resolve));
    const still = new Promise<void>((resolve) => (goOn = resolve));
    const first = acquireSlot(app, 'mail', async () => {
      isFrozen();
      await still;
      return true;
    });
    await frozen;
    assert.deepEqual(await acquireSlot(app, 'mail', async () => true), { kind: 'taken' });
    goOn();
    await assert.rejects(first, 'what it began is undone');
  });

  it('is not waited for over any connection, nor is a host that is gone', async () => {
    const { app } = house;
    const ask = `SELECT current_setting('idle_in_transaction_session_timeout') AS idle, current_setting('lock_timeout') AS lock,
      current_setting('tcp_keepalives_idle') AS keepalive, current_setting('TimeZone') AS zone`;
    const pools = [app.asking, app.lanes.readers, app.lanes.downloads, app.lanes.planned];
    const found = [
      ...(await Promise.all(pools.map(async (pool) => (await pool.query(ask)).rows[0]))),
      ...(await querySql(app, ask)),
    ];
    assert.equal(found.length, 5);
    for (const one of found) assert.deepEqual({ ...one }, { idle: '1s', lock: '11s', keepalive: '10', zone: one.zone });
    assert.deepEqual(new Set(found.map((one) => one.zone)).size, 2, 'records speak of the zone by its offset');
  });
});

describe('connections of all processes', () => {
  let house: House;
  before(async () => (house = await House.open()));
  after(() => house.close());
  const withMore = (readers: number, log: App['log']): App => {
    const { settings } = house.app;
    return { ...house.app, log, settings: { ...settings, connections: { ...settings.connections, readers } } };
  };

  it('are compared with what the server gives: one process alone may not open more, all together are warned', async () => {
    const given = await connectionsGiven(house.app);
    await assert.rejects(joinInstallation(withMore(given, house.app.log)), (error) => {
      assert.ok(isRefusal(error, 'SETTING_INVALID'));
      assert.match(`${error.message} ${error.details.hint}`, /max_connections.*UNDERBELL_READER_CONNECTIONS/s);
      return true;
    });
    const warned: { connections: number }[] = [];
    const log = Object.assign(Object.create(house.app.log) as App['log'], {
      warn: (what: { connections: number }) => warned.push(what),
    });
    const { connections } = house.app.settings;
    const rest = given - mostConnections({ ...connections, readers: 0 });
    await joinInstallation(withMore(rest, log));
    assert.equal(warned.length, 1, 'the process of this house has its own');
    assert.equal(warned[0]!.connections, given + mostConnections(connections));
  });
});
