import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { House, manager, publisher } from '../house.ts';

describe('sources and the datasets on them', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const define = (change: object, name = 'quays') =>
    house.call('PUT', `/api/v1/datasets/${name}`, {
      as: publisher,
      body: { source: 'skerrow', sql: 'SELECT quay_id, name, is_closed FROM quays', ...change },
    });

  it('answer when asked, and hide their password', async () => {
    const { body } = await house.call('POST', '/api/v1/sources/skerrow/test', { as: publisher });
    assert.equal((body as unknown as { answers: boolean }).answers, true);
    const list = await house.call('GET', '/api/v1/sources', { as: publisher });
    assert.match(list.text, /skerrow_reports@127\.0\.0\.1/);
    assert.ok(!list.text.includes('tide-table'));
    const [rows] = await house.app.records.query('SELECT sealed_url FROM sources');
    assert.ok(!JSON.stringify(rows).includes('tide-table'));
  });

  it('take their types from the source', async () => {
    const { body } = await define({ columns: [{ name: 'quay_id', key: 'quay', label: 'Quay' }], order: ['name'] });
    const { columns, rows } = body as unknown as {
      columns: { name: string; type: string; key?: string }[];
      rows: number;
    };
    assert.equal(rows, 52);
    assert.deepEqual(
      columns.map((one) => `${one.name}:${one.type}:${one.key ?? ''}`),
      ['quay_id:text:quay', 'name:text:', 'is_closed:boolean:'],
    );
  });

  it('lay the rows out by key, then as asked', async () => {
    await define(
      {
        sql: 'SELECT quay_id, sailing_id FROM sailings',
        columns: [{ name: 'quay_id', key: 'quay' }],
        order: ['sailing_id'],
      },
      'laid-out',
    );
    const { text } = await house.call('GET', '/api/v1/datasets/laid-out/rows?format=csv', { as: publisher });
    const rows = text
      .trim()
      .split('\r\n')
      .slice(1)
      .map((line) => line.split(',') as [string, string]);
    const sorted = [...rows].sort(([a, x], [b, y]) => (a === b ? Number(x) - Number(y) : a < b ? -1 : 1));
    assert.deepEqual(rows, sorted);
    assert.ok(rows.length > 5_000);
  });

  it('refuse what the source refuses, with its own words', async () => {
    const { status, body } = await define({ sql: 'SELECT quay FROM quays' });
    assert.deepEqual([status, body.code], [502, 'SOURCE_REFUSED']);
    assert.match(body.detail!, /column "quay" does not exist/);
  });

  it('read only, whatever the query tries', async () => {
    for (const sql of [
      'SELECT 1 AS a) q; DELETE FROM quays; SELECT * FROM (SELECT 1 AS a',
      'SELECT 1 AS a) q; SET default_transaction_read_only = off; DELETE FROM quays; --',
      "SELECT set_config('x.y', 'z', false) AS a FROM (DELETE FROM quays RETURNING 1) d",
      'INSERT INTO quays VALUES (1)',
    ]) {
      const { status } = await define({ sql }, 'attack');
      assert.ok(status >= 400, sql);
    }
    assert.equal(((await define({})).body as unknown as { rows: number }).rows, 52);
  });

  it('take a comment at the end of a query', async () => {
    assert.equal((await define({ sql: 'SELECT quay_id, name, is_closed FROM quays -- all of them' })).status, 200);
  });

  it('name the nearest column for notes and orders that miss', async () => {
    assert.equal((await define({ columns: [{ name: 'quay_Id', key: 'quay' }] })).body.code, 'INPUT_INVALID');
    assert.equal((await define({ columns: [{ name: 'quayid', key: 'quay' }] })).body.nearest?.[0], 'quay_id');
    assert.equal((await define({ order: ['nam'] })).body.nearest?.[0], 'name');
    assert.match((await define({ sql: 'SELECT quay_id AS "Quay Number" FROM quays' })).body.hint!, /AS/);
    assert.equal((await define({ source: 'skerow' })).body.code, 'NOT_FOUND');
  });

  it('are out of reach for readers', async () => {
    assert.equal((await house.call('GET', '/api/v1/sources', { as: manager })).text, '{"sources":[]}');
    assert.equal((await house.call('POST', '/api/v1/sources/skerrow/test', { as: manager })).status, 404);
    assert.equal(
      (await house.call('PUT', '/api/v1/sources/own', { as: manager, body: { url: 'postgres://a:b@127.0.0.1/x' } }))
        .status,
      403,
    );
    assert.equal(
      (await house.call('PUT', '/api/v1/sources/own', { as: publisher, body: { url: 'http://127.0.0.1/x' } })).status,
      400,
    );
  });

  it('let readers of the old revision finish on it', async () => {
    const slow = house.call('GET', '/api/v1/datasets/laid-out/rows?format=csv', { as: publisher });
    await Promise.all([1, 2, 3].map(() => house.call('POST', '/api/v1/datasets/laid-out/refresh', { as: publisher })));
    const first = (await slow).text;
    assert.equal(first, (await house.call('GET', '/api/v1/datasets/laid-out/rows?format=csv', { as: publisher })).text);
  });
});
