import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { randomBytes } from 'node:crypto';
import { QueryTypes } from 'sequelize';
import { sweepTables } from '../../src/dataset/index.ts';
import { emptyBin } from '../../src/folder/jobs.ts';
import { closeApp, enqueue, forgetSpent, verifyAudit } from '../../src/platform/index.ts';
import { openService } from '../../src/service.ts';
import { startWeb, stopWeb } from '../../src/server.ts';
import { ownPorts } from '../ports.ts';
import { owner, SmallHouse } from '../smallHouse.ts';

describe('what a house keeps, and what it clears away', () => {
  let small: SmallHouse;
  let late = 0;
  before(async () => {
    small = await SmallHouse.open({ now: () => Date.now() + late });
  });
  after(() => small.close());

  const ask = <T extends object>(sql: string) => small.house.app.records.query<T>(sql, { type: QueryTypes.SELECT });
  const tablesOfRows = async () =>
    (await ask<{ name: string }>(`SELECT tablename AS name FROM pg_tables WHERE schemaname = 'data' ORDER BY 1`)).map(
      (one) => one.name,
    );
  const call = (method: string, path: string, more: object = {}) =>
    small.house.call(method, path, { as: owner, ...more });

  it('keeps the rows of datasets with long names that begin alike apart', async () => {
    const stem = `takings-of-${'every-kiosk-'.repeat(4)}`.slice(0, 62);
    const names = ['a', 'b'].map((end) => `${stem}${end}`);
    for (let round = 0; round < 4; round++)
      for (const [at, name] of names.entries()) {
        const put = await call('PUT', `/api/v1/datasets/${name}/file`, { csv: `n\n${at * 100 + round}\n` });
        assert.equal(put.status, 200, put.text);
      }
    for (const [at, name] of names.entries()) {
      const rows = await call('GET', `/api/v1/datasets/${name}/rows?format=csv`);
      assert.equal(rows.text.trimEnd(), `n\r\n${at * 100 + 3}`);
    }
  });

  it('sweeps the tables of loads that died and of nobody, and no others', async () => {
    const { app } = small.house;
    await sweepTables(app);
    const before = await tablesOfRows();
    await app.records.query(
      `INSERT INTO revisions (dataset_name, number, columns, table_name, state, started_at)
       VALUES ('works', 900, '[]', 'r900900', 'loading', now());
       CREATE TABLE data.r900900 (n integer); CREATE TABLE data.r900901 (n integer)`,
    );
    const holder = await app.lanes.planned.connect();
    try {
      // Whoever loads just now holds the lock of the dataset: then it is no dead load.
      await holder.query(`SELECT pg_advisory_lock(730002, hashtext('works'))`);
      await sweepTables(app);
      assert.deepEqual(await tablesOfRows(), [...before, 'r900900'].sort());
      await holder.query(`SELECT pg_advisory_unlock(730002, hashtext('works'))`);
    } finally {
      holder.release();
    }
    await sweepTables(app);
    assert.deepEqual(await tablesOfRows(), before);
    const [dead] = await ask<{ state: string }>('SELECT state FROM revisions WHERE number = 900');
    assert.equal(dead!.state, 'failed');
    assert.equal((await call('GET', '/api/v1/datasets/works/rows?format=csv')).status, 200);
  });

  it('keeps the caches of readers while a load says how far it is', async () => {
    const { records } = small.house.app;
    const change = (what: string) =>
      records.query(`UPDATE revisions SET ${what} WHERE id = (SELECT max(id) FROM revisions)`);
    const mark = async () => (await ask<{ mark: string }>('SELECT mark FROM record_mark'))[0]!.mark;
    const before = await mark();
    await change('row_count = row_count + 1, stop_asked = true');
    assert.equal(await mark(), before, 'progress is nothing that readers see');
    await change('finished_at = now()');
    assert.notEqual(await mark(), before, 'its end is');
  });

  it('takes the last rule away only when that was confirmed, also when two are taken away at once', async () => {
    for (let round = 0; round < 8; round++) {
      const put = (name: string) =>
        small.fine(
          'PUT',
          `/api/v1/datasets/works/row-rules/${name}`,
          { appliesTo: { kind: 'everyone' }, where: `kind <> '${name}'` },
          owner,
        );
      await small.fine('DELETE', '/api/v1/datasets/works/row-rules/own-quay?confirmed=true', undefined, owner);
      await Promise.all([put('one'), put('two')]);
      const gone = await Promise.all(
        ['one', 'two'].map((name) => call('DELETE', `/api/v1/datasets/works/row-rules/${name}`)),
      );
      assert.deepEqual(gone.map((one) => one.status).sort(), [204, 409], gone.map((one) => one.text).join());
      const [left] = await ask<{ name: string }>(`SELECT name FROM row_rules WHERE dataset_name = 'works'`);
      await small.rule("quay IN (person('quay'))");
      await small.fine('DELETE', `/api/v1/datasets/works/row-rules/${left!.name}`, undefined, owner);
    }
  });

  it('never removes for good what somebody takes out of the bin at the same time', async () => {
    const outcomes = { purged: 0, restored: 0 };
    for (let round = 0; round < 12; round++) {
      const name = `passing-${round}`;
      const put = await call('PUT', `/api/v1/datasets/${name}/file`, { csv: 'n\n1\n' });
      assert.equal(put.status, 200, put.text);
      assert.ok((await call('DELETE', `/api/v1/datasets/${name}?confirmed=true`)).status < 300);
      await small.house.app.records.query(
        `UPDATE datasets SET deleted_at = now() - interval '40 days' WHERE name = '${name}'`,
      );
      const [back] = await Promise.all([
        small.house.call('POST', `/api/v1/trash/dataset/${name}/restore`, { as: owner, body: {} }),
        emptyBin(small.house.app),
      ]);
      const rows = await call('GET', `/api/v1/datasets/${name}/rows?format=csv`);
      // Either it is back, whole, or it is gone and said so.
      if (back.status < 300) {
        assert.equal(rows.text.trimEnd(), 'n\r\n1', `round ${round}`);
        outcomes.restored++;
      } else {
        assert.deepEqual([back.status, rows.status], [404, 404], `round ${round}: ${back.text}`);
        outcomes.purged++;
      }
    }
    assert.equal(outcomes.purged + outcomes.restored, 12);
  });

  it('forgets what has ended after its time, and nothing that somebody still needs', async () => {
    const { app } = small.house;
    await app.records.query('DELETE FROM jobs');
    await app.records.transaction(async () => {
      for (const n of [1, 2, 3]) await enqueue(app, 'nobody', { n });
    });
    await app.records.query(`UPDATE jobs SET state = 'done' WHERE payload->>'n' = '1';
      UPDATE jobs SET state = 'failed' WHERE payload->>'n' = '2'`);
    const sessions = async () => (await ask('SELECT 1 FROM sessions')).length;
    const kept = await sessions();
    assert.ok(kept > 0);
    await app.records.query(
      `INSERT INTO used_once (key, expires_at) SELECT 'k' || n, now() - interval '1 minute' FROM generate_series(1, 2500) n`,
    );
    const first = await forgetSpent(app);
    assert.equal(first['used_once'], 2_500, 'several steps');
    assert.deepEqual([first['jobs'], await sessions()], [0, kept], 'within their time');
    late = 4_000 * 86_400_000;
    const gone = await forgetSpent(app);
    late = 0;
    assert.equal(gone['jobs'], 2, 'the one that waits is kept');
    assert.equal(await sessions(), 0);
    const waiting = await ask<{ state: string }>('SELECT state FROM jobs');
    assert.deepEqual(
      waiting.map((one) => one.state),
      ['waiting'],
    );
  });

  it('checks a long audit in steps, and finds the one entry that was changed', async () => {
    const { app } = small.house;
    assert.equal((await verifyAudit(app)).brokenAt, undefined);
    const [middle] = await ask<{ id: string }>('SELECT id FROM audit ORDER BY id OFFSET 10 LIMIT 1');
    await app.records.query(
      `ALTER TABLE audit DISABLE TRIGGER USER; UPDATE audit SET who = 'nobody' WHERE id = ${middle!.id}; ALTER TABLE audit ENABLE TRIGGER USER`,
    );
    assert.equal((await verifyAudit(app)).brokenAt, Number(middle!.id));
  });

  it('answers from a second process of the same host, with the same address for bounces', async () => {
    const [port, first, second] = [await ownPorts(), await ownPorts(), await ownPorts()];
    const secret = randomBytes(32).toString('hex');
    const { settings, log } = small.house.app;
    const open = (at: number) =>
      openService(
        {
          ...settings,
          secret,
          port: at,
          bounceAddress: 'bounces@skerrow.example',
          bounceListenUrl: `smtp://127.0.0.1:${port}`,
        },
        log,
      );
    const apps = [open(first), open(second)];
    const servers = [];
    for (const app of apps) servers.push(await startWeb(app));
    for (const at of [first, second]) {
      const answer = await fetch(`http://127.0.0.1:${at}/health/live`);
      assert.equal(answer.status, 200);
    }
    for (const server of servers) await stopWeb(server);
    for (const app of apps) await closeApp(app);
  });
});
